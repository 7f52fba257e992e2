using Lodrik.Scenes;
using Lodrik.State;
using Lodrik.Tests.Formats;
using Lodrik.Tests.State;

[assembly: Lodrik.State.SaveAdapter(typeof(Lodrik.State.CatalogueAdapter<Utensil, Utensils>))]

namespace Lodrik.Tests.State;

/// <summary>What a save refers to by name.</summary>
public sealed class CatalogueTests
{
    public static TheoryData<SaveForm> Forms => RoundTripTests.Forms;

    [Theory, MemberData(nameof(Forms))]
    public void A_member_is_saved_by_name_and_comes_back_as_the_live_thing(SaveForm form)
    {
        var belt = new UtensilBelt { InHand = Utensils.Hook, All = { Utensils.Lamp, Utensils.Hook }, Worn = { [Utensils.Lamp.Title] = Utensils.Lamp } };
        var back = StateFile.FromBytes<UtensilBelt>(StateFile.ToBytes(belt, form));
        Assert.Same(Utensils.Hook, back.InHand);
        Assert.Equal([Utensils.Lamp, Utensils.Hook], back.All);
        Assert.Null(StateFile.FromBytes<UtensilBelt>(StateFile.ToBytes(new UtensilBelt(), form)).InHand);
        if (form == SaveForm.Json)
            Assert.Contains("\"inHand\": \"boat-hook\"", StateFile.ToText(belt), StringComparison.Ordinal);
    }

    [Fact]
    public void A_renamed_entry_is_known_by_its_former_names_and_saved_by_its_name_of_today()
    {
        var belt = StateFile.FromText<UtensilBelt>("{ \"inHand\": \"gaff\" }");
        Assert.Same(Utensils.Hook, belt.InHand);
        Assert.Contains("boat-hook", StateFile.ToText(belt), StringComparison.Ordinal);
    }

    [Fact]
    public void A_name_that_is_not_there_is_an_error_at_its_place_that_names_the_likely_one()
    {
        var problem = Assert.Throws<SaveContentException>(() => StateFile.FromText<UtensilBelt>("{ \"all\": [ \"lamp\", \"boat-hok\" ] }"));
        Assert.Equal("/all/1", problem.Location.Path);
        Assert.Contains("The catalogue of tools has no \"boat-hok\".", problem.Message, StringComparison.Ordinal);
        Assert.Contains("Did you mean \"boat-hook\"?", problem.Message, StringComparison.Ordinal);
        Assert.Contains("Add the entry", Assert.Throws<CatalogueException>(() => Utensils.Catalogue["zeppelin"]).Message, StringComparison.Ordinal);
    }

    [Fact]
    public void A_thing_that_is_in_no_catalogue_is_an_error_when_saving()
    {
        var problem = Assert.Throws<UnsavableStateException>(() => StateFile.ToText(new UtensilBelt { InHand = new Utensil("home-made") }));
        Assert.Equal(SaveErrorCode.BadCatalogue, problem.Code);
        Assert.Equal("/inHand", problem.Location.Path);
    }

    [Fact]
    public void A_catalogue_that_contradicts_itself_is_refused_when_it_is_made()
    {
        var one = new Utensil("one");
        var catalogue = new Catalogue<Utensil>("tools") { { "a", one }, { "b", new Utensil("two"), ["c", "d"] } };
        Assert.Equal(["a", "b"], catalogue.Names);
        Assert.Equal(2, catalogue.Count());
        Assert.Contains("\"a\" appears twice", Assert.Throws<CatalogueException>(() => catalogue.Add("a", new Utensil("x"))).Message, StringComparison.Ordinal);
        Assert.Contains("\"c\" appears twice", Assert.Throws<CatalogueException>(() => catalogue.Add("c", new Utensil("x"))).Message, StringComparison.Ordinal);
        Assert.Contains("are the same thing", Assert.Throws<CatalogueException>(() => catalogue.Add("e", one)).Message, StringComparison.Ordinal);
        Assert.Contains("former name \"a\"", Assert.Throws<CatalogueException>(() => catalogue.Add("f", new Utensil("x"), ["a"])).Message, StringComparison.Ordinal);
        Assert.Same(catalogue, catalogue.Check(["a", "d"]));
        Assert.Contains("lacks: y, z", Assert.Throws<CatalogueException>(() => catalogue.Check(["a", "y", "z", "y"])).Message, StringComparison.Ordinal);
    }

    [Theory, MemberData(nameof(Forms))]
    public void Ids_and_references_are_members_and_keys(SaveForm form)
    {
        var book = new LogBook { Seen = "otter-1", Goal = new EntityReference(17, "open sea"), Counts = { ["b"] = 1, [3] = 2 }, Ids = { 5, "x" } };
        var back = StateFile.FromBytes<LogBook>(StateFile.ToBytes(book, form));
        Assert.True(StateContent.AreEqual(book, back));
        Assert.Equal(default, StateFile.FromBytes<LogBook>(StateFile.ToBytes(new LogBook(), form)).Seen);
        Assert.Throws<SaveContentException>(() => StateFile.FromText<LogBook>("{ \"seen\": \"#x\" }"));
        Assert.Throws<SaveContentException>(() => StateFile.FromText<LogBook>("{ \"goal\": \"sea>\" }"));
    }
}

public sealed record Utensil(string Title);

public sealed class Utensils : ICatalogueSource<Utensil>
{
    public static Utensil Lamp { get; } = new("Lamp");

    public static Utensil Hook { get; } = new("Boat hook");

    public static Catalogue<Utensil> Catalogue { get; } = new("tools") { { "lamp", Lamp }, { "boat-hook", Hook, ["gaff", "pole"] } };
}

[StateType]
public sealed partial class UtensilBelt
{
    public Utensil? InHand { get; set; }
    public List<Utensil> All { get; set; } = [];
    public Dictionary<string, Utensil> Worn { get; set; } = [];
}

[StateType]
public sealed partial class LogBook
{
    public EntityId Seen { get; set; }
    public EntityReference Goal { get; set; }
    public Dictionary<EntityId, int> Counts { get; set; } = [];
    public List<EntityId> Ids { get; set; } = [];
}
