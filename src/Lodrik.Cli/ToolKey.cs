using System.CommandLine;
using Lodrik.Inspection;
using Lodrik.Protection;

namespace Lodrik.Cli;

/// <summary>The key that a command was given, and what the saves under it are bound to.</summary>
internal sealed record ToolKey(SaveKey Key, string Context)
{
    /// <summary>For lists of slots, which look into headers only.</summary>
    public SaveProtection ForHeaders => SaveProtection.With(Key);

    /// <summary>
    /// The protection by which a save is checked, and written again as it was: the key, and whether the save says that it is encrypted.
    /// </summary>
    public SaveProtection For(SavedFile file) => For(file.IsEncrypted, file.HasHiddenTitles);

    public SaveProtection For(bool isEncrypted, bool hidesLabel) => new(new KeyRing(Key))
    {
        IsEncrypted = isEncrypted,
        HasHiddenTitles = hidesLabel,
        Context = Context,
    };
}

/// <summary>The options by which a command takes a key.</summary>
internal sealed class KeyOptions
{
    private readonly Option<string?> _key = new("--key") { Description = "The key: " + KeyFile.Forms };
    private readonly Option<string?> _context = new("--context") { Description = "What the saves are bound to, for example an account." };

    /// <param name="command">The command.</param>
    /// <param name="headersOnly">Whether it looks into headers only, which no context matters for.</param>
    public KeyOptions(Command command, bool headersOnly = false)
    {
        command.Options.Add(_key);
        if (!headersOnly)
            command.Options.Add(_context);
    }

    /// <summary>The key that was given; null if none was.</summary>
    /// <exception cref="ArgumentException">It is none.</exception>
    public ToolKey? Of(ParseResult parsed) => (parsed.GetValue(_key), parsed.GetValue(_context)) switch
    {
        ({ } place, var context) => new ToolKey(KeyFile.Read(place), context ?? ""),
        (null, { }) => throw new ArgumentException("A context is part of the seal. Pass the key with --key as well."),
        _ => null,
    };
}
