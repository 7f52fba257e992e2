using System.CommandLine;
using System.CommandLine.Completions;
using System.Globalization;
using Lodrik.Cli.Views;
using Lodrik.State;

namespace Lodrik.Cli;

/// <summary>What a shell offers while a save, or a place in one, is being typed. Files are the shell's own to complete.</summary>
internal static class SaveCompletions
{
    /// <summary>Larger files are not opened for it: nobody waits for a shell.</summary>
    private const long MostBytes = 20_000_000;

    private const int MostPlaces = 200;

    /// <summary>The slots of the store that was begun with, and behind <c>@</c> the generations of the slot.</summary>
    public static IEnumerable<CompletionItem> Saves(CompletionContext context) => Carefully(() =>
    {
        var word = context.WordToComplete;
        if (word.LastIndexOf('@') is > 0 and var at)
        {
            var (store, slot) = (Path.GetDirectoryName(word[..at])!, Path.GetFileName(word[..at]));
            return SavePlace.Slots(store).History(slot)
                .Select(one => string.Create(CultureInfo.InvariantCulture, $"{word[..at]}@{one.Number}"));
        }
        var folder = SavePlace.IsStore(word) ? word : Path.GetDirectoryName(word);
        return folder is not { Length: > 0 } || !SavePlace.IsStore(folder) ? []
            : SavePlace.Slots(folder).List().Select(slot => Path.Combine(folder, slot.Slot.ToString())).Distinct();
    });

    /// <summary>The sections of the save that was named before, and what is in the place that was begun with.</summary>
    public static Func<CompletionContext, IEnumerable<CompletionItem>> PlacesIn(Argument<string> save) => context => Carefully(() =>
    {
        var path = SaveArgument.Of(context.ParseResult.GetRequiredValue(save)).Path;
        if (new FileInfo(path).Length > MostBytes)
            return [];
        var file = SavePlace.OpenFile(path);
        var word = context.WordToComplete;
        IEnumerable<string> places = file.Sections.Select(section => section.Name);
        if (word.LastIndexOf('/') is > 0 and var slash
            && file.Sections.Any(section => word.StartsWith($"{section.Name}/", StringComparison.Ordinal)))
        {
            var inside = ValuePath.Find(file, word[..slash]).Value switch
            {
                SaveMap map => map.Keys,
                SaveList list => Enumerable.Range(0, list.Count).Select(i => i.ToString(CultureInfo.InvariantCulture)),
                _ => [],
            };
            places = inside.Select(step => $"{word[..slash]}/{step}");
        }
        return places.Where(place => place.StartsWith(word, StringComparison.Ordinal)).Take(MostPlaces);
    });

    /// <summary>What cannot be read has nothing to offer; the command itself will say why.</summary>
    private static List<CompletionItem> Carefully(Func<IEnumerable<string>> find)
    {
        try
        {
            return [.. find().Select(text => new CompletionItem(text))];
        }
        catch (Exception exception) when (exception is SaveException or ArgumentException or InvalidOperationException or IOException
            or UnauthorizedAccessException)
        {
            return [];
        }
    }
}
