using System.CommandLine;
using System.Globalization;

namespace Lodrik.Server.Host;

/// <summary>Makes and takes back the tokens by which players are known.</summary>
internal static class TokenCommand
{
    public static Command Create()
    {
        var command = new Command("token", "Makes and takes back the tokens of players.");
        command.Subcommands.Add(CreateNew());
        command.Subcommands.Add(CreateRemove());
        command.Subcommands.Add(CreateList());
        return command;
    }

    public static Option<string> FileOption() => new("--tokens")
    {
        Description = "The file with the digests of the players' tokens.",
        DefaultValueFactory = _ => "tokens.txt",
    };

    private static Command CreateNew()
    {
        var (player, tokens) = (PlayerArgument(), FileOption());
        var days = new Option<int?>("--days") { Description = "How long it holds; without it, for ever." };
        var command = new Command("new", "Makes a token for a player, and prints it this once.") { player, tokens, days };
        command.SetAction(parsed => Console.WriteLine(BearerTokens.InFile(parsed.GetRequiredValue(tokens)).Add(
            parsed.GetRequiredValue(player), parsed.GetValue(days) is { } count ? TimeSpan.FromDays(count) : null)));
        return command;
    }

    private static Command CreateRemove()
    {
        var (player, tokens) = (PlayerArgument(), FileOption());
        var command = new Command("remove", "Takes all tokens of a player back, from the next request on.") { player, tokens };
        command.SetAction(parsed =>
        {
            var name = parsed.GetRequiredValue(player);
            var count = BearerTokens.InFile(parsed.GetRequiredValue(tokens)).Remove(name);
            Console.WriteLine(string.Create(
                CultureInfo.InvariantCulture, $"{name} had {count} {(count == 1 ? "token" : "tokens")}, and has none now."));
            return count > 0 ? 0 : 1;
        });
        return command;
    }

    private static Command CreateList()
    {
        var tokens = FileOption();
        var command = new Command("list", "Lists who has a token, and until when.") { tokens };
        command.SetAction(parsed =>
        {
            foreach (var (player, expires) in BearerTokens.InFile(parsed.GetRequiredValue(tokens)).List())
            {
                var until = expires is { } time ? $"until {time.ToString("u", CultureInfo.InvariantCulture)}" : "for ever";
                Console.WriteLine($"{player}  {until}");
            }
        });
        return command;
    }

    private static Argument<string> PlayerArgument() => new("player") { Description = "The player's id, as it is in addresses." };
}
