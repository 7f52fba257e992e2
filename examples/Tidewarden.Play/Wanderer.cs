using System.Globalization;
using System.Numerics;
using Lodrik;

namespace Tidewarden.Play;

/// <summary>
/// A keeper who does whatever comes to mind, saves in every way there is, and never stops: somebody has to end the program. It says which
/// moment of the season each save that is done has, and so whoever starts the game again can hold it to its word.
/// </summary>
public sealed class Wanderer(NightSaves saves, Night night, Action<float> pass, TextWriter output)
{
    private static readonly Vector2[] Ways = [new(-1, 0), new(1, 0), new(0, -1), new(0, 1)];

    private readonly Queue<(Task Work, TimeSpan? At)> _asked = [];

    public void Play(int seed)
    {
        var chance = new Random(seed);
        Say("goes on at", night.Elapsed);
        while (true)
        {
            Do(chance);
            while (_asked.TryPeek(out var first) && first.Work.IsCompleted)
            {
                var (work, at) = _asked.Dequeue();
                work.GetAwaiter().GetResult();
                if (at is { } moment)
                    Say("saved at", moment);
            }
        }
    }

    private void Do(Random chance)
    {
        switch (chance.Next(12))
        {
            case 0:
                night.Act();
                break;
            case 1:
                night.SetOut(tied: chance.Next(2) == 0);
                break;
            case 2:
                _asked.Enqueue((night.Session.QuickSaveAsync(), night.Elapsed));
                break;
            case 3:
                night.Session.Save(SlotName.FromTitle($"night {chance.Next(3)}"), overwrite: Overwrite.Allowed);
                Say("saved at", night.Elapsed);
                break;
            case 4 when chance.Next(4) == 0:
                saves.Store.Form = (SaveForm)chance.Next(3);
                break;
            case 5 when chance.Next(8) == 0:
                _asked.Enqueue((saves.Change((Guard)chance.Next(3)), null));
                break;
            default:
                night.Go(Ways[chance.Next(Ways.Length)]);
                pass(Night.Step * chance.Next(1, 30));
                break;
        }
    }

    private void Say(string what, TimeSpan at)
    {
        output.WriteLine(string.Create(CultureInfo.InvariantCulture, $"{what} {at.Ticks}"));
        output.Flush();
    }
}
