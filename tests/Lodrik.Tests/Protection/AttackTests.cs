using System.Buffers;
using System.Buffers.Text;
using System.Text;
using Lodrik.Fuzz;
using Lodrik.Inspection;
using Lodrik.Protection;
using Lodrik.Saves;
using Lodrik.Saves.Forms;
using Lodrik.Saves.Writing;
using Lodrik.Tests.Migrations;
using static Lodrik.Tests.Protection.SampleFerries;

namespace Lodrik.Tests.Protection;

/// <summary>Files that are made to do harm: all end in a <see cref="SaveException"/>, within bounded memory.</summary>
public sealed class AttackTests
{
    private const long MostBytes = 16 << 20;

    private static readonly SaveProtection Sealed = SaveProtection.With(Key());
    private static readonly SaveProtection Encrypted = SaveProtection.Encrypted(Key());

    [Theory]
    [InlineData(SaveForm.Json)]
    [InlineData(SaveForm.Xml)]
    [InlineData(SaveForm.Binary)]
    public void A_section_that_would_become_enormous_is_refused_also_by_who_has_the_key(SaveForm form)
    {
        foreach (var protection in new[] { null, Sealed, Encrypted })
        {
            foreach (var claimed in new[] { 100_000, 1 << 30, Array.MaxLength })
                Refused(Made(form, [EncodedSection.Of("pilot", new byte[90], claimed)], protection), protection);
        }
    }

    [Theory]
    [InlineData(SaveForm.Json)]
    [InlineData(SaveForm.Xml)]
    [InlineData(SaveForm.Binary)]
    public void A_section_nested_without_end_is_refused_also_by_who_has_the_key(SaveForm form)
    {
        const int Depth = 200_000;
        var nested = form switch
        {
            SaveForm.Json => Encoding.ASCII.GetBytes(string.Concat(Enumerable.Repeat("[", Depth)) + string.Concat(Enumerable.Repeat("]", Depth))),
            SaveForm.Xml => Encoding.ASCII.GetBytes("<pilot>" + string.Concat(Enumerable.Repeat("<a>", Depth)) + string.Concat(Enumerable.Repeat("</a>", Depth)) + "</pilot>"),
            _ => [.. Enumerable.Repeat((byte)0x81, Depth), 0x01],
        };
        foreach (var protection in new[] { null, Sealed, Encrypted })
            Refused(Made(form, [EncodedSection.Of("pilot", nested)], protection), protection);
    }

    [Fact]
    public void Lengths_that_are_larger_than_the_file_cost_nothing()
    {
        byte[][] heads = [[0x5B, 0x7F, 0xFF, 0xFF, 0xFF, 0xFF, 0xFF, 0xFF, 0xFF], [0x5A, 0x7F, 0xFF, 0xFF, 0xFF], [0x9A, 0x7F, 0xFF, 0xFF, 0xFF], [0xBA, 0x7F, 0xFF, 0xFF, 0xFF], [0x7A, 0x7F, 0xFF, 0xFF, 0xF0]];
        foreach (var head in heads)
        {
            foreach (var protection in new[] { null, Sealed, Encrypted })
            {
                var save = SampleFerries.Save(protection, SaveForm.Binary);
                // In place of every item of the file, wherever one begins.
                for (var at = 3; at < save.Length; at += 3)
                    Refused([.. save[..at], .. head, .. save[at..]], protection);
            }
            // As the content of a section that is sealed by who has the key, and as a seal.
            Refused(Made(SaveForm.Binary, [EncodedSection.Of("pilot", head)], Sealed), Sealed);
            Assert.Throws<TamperedSaveException>(() => SealEnvelope.OpenCose([0xD1, 0x84, .. head], Sealed.Keys, default));
            Assert.Throws<TamperedSaveException>(() => SealEnvelope.OpenCose([0xD1, 0x84, 0x41, 0xA0, 0xA0, .. head], Sealed.Keys, default));
        }
    }

    [Fact]
    public void A_save_cannot_ask_for_more_rounds_than_the_game_is_ready_for()
    {
        var pass = SaveKey.FromPassphrase("pass", "salt and reed", 100_000);
        foreach (var rounds in new[] { 0, 1, 99_999, 2_000_001, int.MaxValue, -1 })
        {
            var making = new KeyMaking(new byte[16], rounds);
            Assert.False(pass.CanMake(making));
            Assert.False(pass.Fits("x"u8, new byte[32], making));
            var header = Base64Url.EncodeToString(Encoding.ASCII.GetBytes($$"""{"alg":"HS256","kid":"pass","salt":"AAAAAAAAAAAAAAAAAAAAAA","iterations":{{rounds}}}"""));
            Assert.Throws<TamperedSaveException>(() => SealEnvelope.OpenJws($"{header}.e30.AAAA", new KeyRing(pass), default));
        }
        Assert.False(pass.CanMake(new KeyMaking(new byte[15], 100_000)));
        Assert.False(Key().CanMake(new KeyMaking(new byte[16], 100_000)));
    }

    [Fact]
    public void A_save_cannot_lower_how_it_is_protected()
    {
        // Everything an attacker without the key can make of saves: plain, or under keys and levels of their own.
        var mine = SaveKey.FromBytes("secret", Secret);
        using var pair = System.Security.Cryptography.ECDsa.Create(System.Security.Cryptography.ECCurve.NamedCurves.nistP256);
        SaveProtection?[] forged = [null, SaveProtection.With(mine), SaveProtection.Encrypted(mine), SaveProtection.With(SaveKey.Signing("secret", pair.ExportPkcs8PrivateKeyPem())), SaveProtection.With(Key("other"))];
        using var studio = System.Security.Cryptography.ECDsa.Create(System.Security.Cryptography.ECCurve.NamedCurves.nistP256);
        SaveProtection[] asked = [Sealed, Encrypted, SaveProtection.With(SaveKey.Verifying("secret", studio.ExportSubjectPublicKeyInfoPem())), Sealed with { Context = "account 7" }];
        var tried = 0;
        foreach (var form in Enum.GetValues<SaveForm>())
        {
            foreach (var compression in new[] { SaveCompression.None, SaveCompression.Fast })
            {
                foreach (var (forgery, protection) in forged.SelectMany(forgery => asked.Select(protection => (forgery, protection))))
                {
                    Assert.Throws<TamperedSaveException>(() => SavedFile.FromBytes(SampleFerries.Save(forgery, form, compression)).CheckSeal(protection));
                    tried++;
                }
                // The same key does not open a seal as encryption, nor the other way round.
                Assert.Throws<TamperedSaveException>(() => SavedFile.FromBytes(SampleFerries.Save(Sealed, form, compression)).CheckSeal(Encrypted));
                Assert.Throws<TamperedSaveException>(() => SavedFile.FromBytes(SampleFerries.Save(Encrypted, form, compression)).CheckSeal(Sealed));
            }
        }
        TestContext.Current.TestOutputHelper!.WriteLine($"{tried} saves of other levels and keys, none is taken");
    }

    [Fact]
    public void Encrypted_sections_cannot_change_places_within_a_save_or_between_saves()
    {
        var (one, two) = (SampleFerries.Save(Encrypted, SaveForm.Binary), SampleFerries.Save(Encrypted, SaveForm.Binary, hp: 99));
        var (first, second) = (SavedFile.FromBytes(one), SavedFile.FromBytes(two));
        var places = first.Sections.Select(section => first.Opened.Find(section.Name)!.Slice).ToList();
        var tried = 0;
        foreach (var to in places)
        {
            foreach (var (bytes, from) in places.Select(place => (one, place)).Concat(second.Sections.Select(section => (two, second.Opened.Find(section.Name)!.Slice))))
            {
                var content = bytes.AsSpan(from.Offset, from.Length);
                var changed = (byte[])[.. one[..to.Offset], .. content, .. one[(to.Offset + to.Length)..]];
                if (changed.AsSpan().SequenceEqual(one))
                    continue;
                Refused(changed, Encrypted);
                tried++;
            }
        }
        Assert.Equal(15, tried);
    }

    [Fact]
    public void Spoilt_saves_of_the_demo_game_of_every_kind_are_read_without_surprises()
    {
        var fuzz = new ReaderFuzz(2031);
        for (var run = 0; run < 2500; run++)
        {
            var finding = fuzz.Run();
            Assert.True(finding is null, $"run {run}: {finding?.Problem}");
        }
        TestContext.Current.TestOutputHelper!.WriteLine(fuzz.ToString());
        // It is no fuzzer that reaches nothing.
        Assert.True(fuzz.Refused is > 1000 and < 2400);
        Assert.Equal(0, fuzz.Forged);
    }

    private static byte[] Made(SaveForm form, IReadOnlyList<EncodedSection> sections, SaveProtection? protection)
    {
        var header = SavedFile.FromBytes(SampleFerries.Save(null)).Header!;
        using var writer = new SaveWriter();
        return writer.Write(sections, header.ForVersion(header.Version), form, protection).ToArray();
    }

    private static void Refused(byte[] save, SaveProtection? protection)
    {
        var before = GC.GetAllocatedBytesForCurrentThread();
        Assert.ThrowsAny<SaveException>(() =>
        {
            var file = SavedFile.FromBytes(save);
            if (protection is not null)
                file.CheckSeal(protection);
            file.ReadTree();
            return WholeState.Decode<FerryV1>(file);
        });
        Assert.InRange(GC.GetAllocatedBytesForCurrentThread() - before, 0, MostBytes);
    }
}
