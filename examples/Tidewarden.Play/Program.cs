using Lodrik;
using Tidewarden.Play;

// Plays the night of the beacon keeper: in the terminal, from a script, or as the story that the demo tells.
switch (args)
{
    case ["--story", ..]:
        return StoryTold.Print();
    case ["--script", var file, .. var rest] when TryTerms(rest, out var terms):
        using (var script = new Script(terms, Console.Out))
            return script.Play(File.ReadLines(file)) ? 0 : 1;
    case [] or [_] when args is not ["--help" or "--script"]:
        if (!Screen.IsThere)
        {
            Console.Error.WriteLine("The game needs a terminal to play in. Without one, play a script: --script <file> <folder>.");
            return 2;
        }
        using (var app = new App(args is [var folder] ? folder : Path.Combine(AppContext.BaseDirectory, "nights")))
            app.Run();
        return 0;
    default:
        Console.Error.WriteLine(
            """
            Usage: Tidewarden.Play [<folder>]
                   Tidewarden.Play --script <file> <folder> [json|xml|binary] [sealed|encrypted]
                   Tidewarden.Play --story
            """);
        return 2;
}

static bool TryTerms(string[] words, out SaveTerms terms)
{
    terms = new SaveTerms(words.FirstOrDefault() ?? "");
    foreach (var word in words.Skip(1))
    {
        if (Enum.TryParse<SaveForm>(word, ignoreCase: true, out var form))
            terms = terms with { Form = form };
        else if (Enum.TryParse<Guard>(word, ignoreCase: true, out var guard))
            terms = terms with { Guard = guard };
        else
            return false;
    }
    return words.Length > 0;
}
