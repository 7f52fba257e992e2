using System.Text;
using Lodrik.Inspection;
using Lodrik.Protection;
using Lodrik.Saves;
using Lodrik.Tests.Migrations;
using static Lodrik.Tests.Protection.SampleFerries;

namespace Lodrik.Tests.Protection;

/// <summary>What is whole of a damaged save comes back, and nothing else does.</summary>
public sealed class SalvageTests
{
    public static TheoryData<string, SaveForm, SaveCompression> Kinds { get; } = new()
    {
        { "none", SaveForm.Json, SaveCompression.None }, { "none", SaveForm.Xml, SaveCompression.None }, { "none", SaveForm.Binary, SaveCompression.None },
        { "none", SaveForm.Json, SaveCompression.Fast }, { "sealed", SaveForm.Json, SaveCompression.None }, { "sealed", SaveForm.Xml, SaveCompression.None },
        { "sealed", SaveForm.Binary, SaveCompression.None }, { "encrypted", SaveForm.Binary, SaveCompression.None }, { "encrypted", SaveForm.Xml, SaveCompression.Small },
    };

    private static SaveProtection? With(string level) => level switch { "none" => null, "sealed" => SaveProtection.With(Key()), _ => SaveProtection.Encrypted(Key()) };

    [Theory]
    [MemberData(nameof(Kinds))]
    public void Of_a_whole_save_everything_comes_back(string level, SaveForm form, SaveCompression compression)
    {
        var bytes = SampleFerries.Save(With(level), form, compression);
        var salvaged = SalvagedSave.FromBytes(bytes, With(level));
        Assert.True(salvaged.IsComplete);
        Assert.All(salvaged.Sections, section => Assert.Equal(SalvageOutcome.Intact, section.Outcome));
        var (before, after) = (SavedFile.FromBytes(bytes), SavedFile.FromBytes(salvaged.ToBytes(With(level))));
        if (With(level) is { } protection)
        {
            before.CheckSeal(protection);
            after.CheckSeal(protection);
        }
        Assert.Equal(SectionHealth.Intact, after.Health);
        Assert.Equal(before.ReadTree(), after.ReadTree());
        Assert.Equal(before.Header!.SaveId, after.Header!.ParentId);
        Assert.NotEqual(before.Header.SaveId, after.Header.SaveId);
    }

    [Theory]
    [MemberData(nameof(Kinds))]
    public void Wherever_a_byte_is_spoilt_lost_or_added_only_what_is_there_is_lost(string level, SaveForm form, SaveCompression compression)
    {
        var bytes = SampleFerries.Save(With(level), form, compression);
        var file = SavedFile.FromBytes(bytes);
        if (With(level) is { } protection)
            file.CheckSeal(protection);
        foreach (var spoilt in file.Sections)
        {
            var slice = file.Opened.Find(spoilt.Name)!.Slice;
            var middle = slice.Offset + (slice.Length / 2);
            foreach (var damaged in new[] { (byte[])[.. bytes[..middle], (byte)(bytes[middle] ^ 0x15), .. bytes[(middle + 1)..]], [.. bytes[..middle], .. bytes[(middle + 1)..]], [.. bytes[..middle], 0, 0, 0, .. bytes[middle..]] })
            {
                var salvaged = SalvagedSave.FromBytes(damaged, With(level));
                var changed = Assert.Single(salvaged.Sections, section => section.Outcome != SalvageOutcome.Intact);
                Assert.Equal(spoilt.Name, changed.Name);
                // A readable one may be well-formed still, and is then taken as it stands; not where a seal stands for it.
                Assert.True(changed is { Outcome: SalvageOutcome.Lost, Reason: not null } || (level == "none" && form != SaveForm.Binary && compression == SaveCompression.None));
                var after = SavedFile.FromBytes(salvaged.ToBytes());
                Assert.Equal(SectionHealth.Intact, after.Health);
                foreach (var section in file.Sections.Where(section => section.Name != spoilt.Name))
                    Assert.Equal(file.ReadSection(section.Name), after.ReadSection(section.Name));
                Assert.Equal(changed.Outcome == SalvageOutcome.Lost ? 2 : 3, after.Sections.Count);
                if (changed.Outcome == SalvageOutcome.Lost)
                    Assert.Equal(spoilt.Name == "log" ? [] : ["cast off"], WholeState.Decode<FerryV1>(after).Log);
            }
        }
    }

    [Theory]
    [InlineData(SaveForm.Json)]
    [InlineData(SaveForm.Xml)]
    [InlineData(SaveForm.Binary)]
    public void Every_cut_leaves_the_sections_before_it_or_a_clear_error(SaveForm form)
    {
        var bytes = SampleFerries.Save(null, form);
        var file = SavedFile.FromBytes(bytes);
        var salvages = 0;
        for (var length = 0; length < bytes.Length; length++)
        {
            SalvagedSave salvaged;
            try
            {
                salvaged = SalvagedSave.FromBytes(bytes[..length]);
            }
            catch (DamagedSaveException lost)
            {
                Assert.True(length <= file.Opened.Find("pilot")!.Slice.Offset, lost.Message);
                continue;
            }
            salvages++;
            Assert.All(salvaged.Sections, section => Assert.Equal(
                file.Opened.Find(section.Name)!.Slice is var slice && slice.Offset + slice.Length <= length ? SalvageOutcome.Intact : SalvageOutcome.Lost, section.Outcome));
        }
        Assert.True(salvages > 30);
    }

    [Fact]
    public void An_edit_by_hand_is_taken_without_a_key_and_not_with_one()
    {
        var bytes = Encoding.UTF8.GetBytes(Encoding.UTF8.GetString(SampleFerries.Save(With("sealed"))).Replace("\"hp\": 7", "\"hp\": 99", StringComparison.Ordinal));
        var free = SalvagedSave.FromBytes(bytes);
        Assert.Equal(SalvageOutcome.Changed, free.Sections[0].Outcome);
        Assert.Equal(99, StateFile.FromBytes<FerryV1>(free.ToBytes()).Pilot.Hp);
        var held = SalvagedSave.FromBytes(bytes, With("sealed"));
        Assert.Equal((SalvageOutcome.Lost, SalvageOutcome.Intact), (held.Sections[0].Outcome, held.Sections[1].Outcome));
        Assert.Contains("sealed", held.Sections[0].Reason, StringComparison.Ordinal);
        // Without its list, what is well-formed is all that can be said.
        var listless = SalvagedSave.FromBytes(Encoding.UTF8.GetBytes(Encoding.UTF8.GetString(SampleFerries.Save(null)).Replace("contents\"", "c\\u0000ntents\"", StringComparison.Ordinal)));
        Assert.Contains(listless.Sections, section => section is { Name: "pilot", Outcome: SalvageOutcome.Changed });
    }

    [Fact]
    public void What_nothing_can_be_told_of_is_a_clear_error()
    {
        Assert.Equal(SaveErrorCode.NotASave, Assert.Throws<DamagedSaveException>(() => SalvagedSave.FromBytes("hello"u8.ToArray())).Code);
        Assert.Throws<DamagedSaveException>(() => SalvagedSave.FromBytes("{}"u8.ToArray()));
        Assert.Equal(SaveErrorCode.Encrypted, Assert.Throws<TamperedSaveException>(() => SalvagedSave.FromBytes(SampleFerries.Save(With("encrypted")))).Code);
        Assert.Equal(SaveErrorCode.Unprotected, Assert.Throws<TamperedSaveException>(() => SalvagedSave.FromBytes(SampleFerries.Save(null), With("sealed"))).Code);
        Assert.Equal(SaveErrorCode.Tampered, Assert.Throws<TamperedSaveException>(() => SalvagedSave.FromBytes(SampleFerries.Save(With("sealed")), SaveProtection.With(SaveKey.FromBytes("secret", Secret)))).Code);
        // The salt of the sections' key stands in the seal, at the end.
        var encrypted = SampleFerries.Save(With("encrypted"), SaveForm.Binary);
        Assert.Contains("none of them can be read", Assert.Throws<TamperedSaveException>(() => SalvagedSave.FromBytes(encrypted[..^40], With("encrypted"))).Message, StringComparison.Ordinal);
    }
}
