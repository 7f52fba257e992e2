using Lodrik.Migrations;
using Lodrik.Storage;

namespace Lodrik.Tests.Migrations;

/// <summary>Steps that change the contents of shared objects.</summary>
public sealed class SharedMigrationTests
{
    [Theory]
    [InlineData(SaveForm.Json, false)]
    [InlineData(SaveForm.Xml, false)]
    [InlineData(SaveForm.Binary, false)]
    [InlineData(SaveForm.Json, true)]
    [InlineData(SaveForm.Binary, true)]
    public void A_step_that_names_only_shared_contents_is_there_after_loading(SaveForm form, bool namesTheSectionToo)
    {
        var storage = new MemoryStorage();
        using (var first = SaveStore<BagsV1>.Open(new SaveStoreOptions { Storage = storage, Form = form }))
        {
            var flask = new ThingV1 { Kind = "flask" };
            first.Save("evening", new BagsV1 { Bags = { Hand = flask, Belt = flask } });
        }
        var chain = new MigrationChain().From(1, step =>
        {
            step.Rename("/bags#shared/*/kind", "what");
            if (namesTheSectionToo)
                step.SetDefault("/bags/note", "x");
        });
        using var second = SaveStore<BagsV2>.Open(new SaveStoreOptions { Storage = storage, Migrations = chain });
        var bags = second.Load("evening").State.Bags;
        Assert.Equal(("flask", namesTheSectionToo ? "x" : ""), (bags.Hand!.What, bags.Note));
        Assert.Same(bags.Hand, bags.Belt);
    }
}

[SaveFile("bags")]
public sealed partial class BagsV1
{
    public BagV1 Bags { get; set; } = new();
}

[StateType]
public sealed partial class BagV1
{
    public ThingV1? Hand { get; set; }

    public ThingV1? Belt { get; set; }
}

[StateType(Shared = true)]
public sealed partial class ThingV1
{
    public string Kind { get; set; } = "";
}

[SaveFile("bags", Version = 2)]
public sealed partial class BagsV2
{
    public BagV2 Bags { get; set; } = new();
}

[StateType]
public sealed partial class BagV2
{
    public ThingV2? Hand { get; set; }

    public ThingV2? Belt { get; set; }

    public string Note { get; set; } = "";
}

[StateType(Shared = true)]
public sealed partial class ThingV2
{
    public string What { get; set; } = "";
}
