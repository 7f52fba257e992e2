using System.Numerics;
using CsCheck;

namespace Lodrik.Tests.Scenes;

/// <summary>Random play against a simple model: what was printed at the save is printed after loading.</summary>
public sealed class PlayTests
{
    private enum Act
    {
        Move,
        Take,
        Spawn,
        Fly,
        Sit,
        Leave,
        Save,
        Load,
        LoadAnew,
    }

    [Fact]
    public void After_any_play_a_load_gives_what_was_saved() =>
        Gen.Select(Gen.Enum<Act>(), Gen.Int[0, 9], Gen.Enum<SaveForm>()).Array[1, 40].Sample(
            play =>
            {
                var yard = Yard.Author();
                var live = Yard.Bindings().Begin(yard);
                (byte[] Bytes, string Print)? saved = null;
                foreach (var (act, which, form) in play)
                {
                    switch (act)
                    {
                        case Act.Move when yard.Barrels.Count > 0:
                            yard.Barrels[which % yard.Barrels.Count].At += new Vector2(which, 0.5f);
                            break;
                        case Act.Take when yard.Barrels.Count > 0:
                            yard.Barrels.RemoveAt(which % yard.Barrels.Count);
                            break;
                        case Act.Spawn:
                            yard.Spawn($"song {which}");
                            break;
                        case Act.Fly when yard.Sparrows.Count > 0:
                            yard.Sparrows.RemoveAt(which % yard.Sparrows.Count);
                            break;
                        case Act.Sit when yard.Sparrows.Count > 0:
                            yard.Sparrows[which % yard.Sparrows.Count].On = yard.Wagons[0];
                            break;
                        case Act.Leave when yard.Sparrows.Count > 0:
                            yard.Sparrows[which % yard.Sparrows.Count].On = null;
                            break;
                        case Act.Save:
                            var save = new YardSave();
                            live.CaptureTo(save.Scenes, "yard");
                            saved = (StateFile.ToBytes(save, form), yard.Print());
                            break;
                        case Act.Load or Act.LoadAnew when saved is { } slot:
                            if (act == Act.LoadAnew)
                            {
                                yard = Yard.Author();
                                live = Yard.Bindings().Begin(yard);
                            }
                            live.RestoreFrom(StateFile.FromBytes<YardSave>(slot.Bytes).Scenes, "yard");
                            Assert.Equal(slot.Print, yard.Print());
                            break;
                    }
                }
            },
            iter: 3000, threads: 2);
}
