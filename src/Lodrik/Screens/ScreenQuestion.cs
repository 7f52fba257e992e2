namespace Lodrik.Screens;

/// <summary>What a save screen asks the player about.</summary>
public enum ScreenQuestionKind
{
    /// <summary>Whether the save that is there is replaced. It stays in the slot's history, as far as that goes back.</summary>
    Replace,

    /// <summary>Whether a row is deleted. It can be brought back until the store is closed.</summary>
    Delete,

    /// <summary>Whether a row is deleted for good, because the disk has no room for bringing it back.</summary>
    DeleteForGood,

    /// <summary>Whether all rows are deleted. They can be brought back until the store is closed.</summary>
    ClearAll,

    /// <summary>Whether the game is left though something was played that is not saved.</summary>
    Discard,

    /// <summary>Whether a file that is there is replaced by what is exported.</summary>
    ReplaceFile,
}

/// <summary>A question that the game puts to the player, and answers with <see cref="SaveScreen.Answer(bool)"/>.</summary>
public sealed class ScreenQuestion
{
    internal ScreenQuestion(
        ScreenQuestionKind kind, ScreenAction action, SaveRow? row, int count, string text,
        Func<bool, CancellationToken, ValueTask<ScreenOutcome>> yes)
    {
        (Kind, Action, Row, Count, Text, Yes) = (kind, action, row, count, text, yes);
    }

    /// <summary>What it is about.</summary>
    public ScreenQuestionKind Kind { get; }

    /// <summary>The button that asks.</summary>
    public ScreenAction Action { get; }

    /// <summary>The save that would be replaced or deleted; null if it is about something else.</summary>
    public SaveRow? Row { get; }

    /// <summary>How many rows it is about.</summary>
    public int Count { get; }

    /// <summary>The question, in English.</summary>
    public string Text { get; }

    /// <summary>What is done if the answer is yes.</summary>
    internal Func<bool, CancellationToken, ValueTask<ScreenOutcome>> Yes { get; }
}

/// <summary>What came of pressing a button.</summary>
public enum ScreenOutcomeKind
{
    /// <summary>It is done.</summary>
    Done,

    /// <summary>The player has to be asked first; nothing is done yet.</summary>
    Asks,

    /// <summary>It is not possible now; nothing was done.</summary>
    Refused,

    /// <summary>It failed; what was saved before is still there.</summary>
    Failed,

    /// <summary>The player said no; nothing was done.</summary>
    Cancelled,
}

/// <summary>What came of pressing a button or of answering a question.</summary>
/// <param name="Kind">What came of it.</param>
/// <param name="Message">A sentence for the player, in English: what was done, the question, why not, or what went wrong.</param>
public sealed record ScreenOutcome(ScreenOutcomeKind Kind, string Message)
{
    /// <summary>Whether it is done.</summary>
    public bool IsDone => Kind == ScreenOutcomeKind.Done;

    /// <summary>The button that was pressed, or whose question was answered; null after a refresh, or if no question was open.</summary>
    public ScreenAction? Action { get; init; }

    /// <summary>The question that is open now; null if none is.</summary>
    public ScreenQuestion? Question { get; init; }

    /// <summary>Why it is not possible.</summary>
    public ScreenRefusal Refusal { get; init; }

    /// <summary>What went wrong; null if nothing did.</summary>
    public SaveException? Problem { get; init; }

    /// <summary>What was saved; null if nothing was.</summary>
    public SaveReceipt? Receipt { get; init; }

    internal static ScreenOutcome Refused(ScreenRefusal refusal) =>
        new(ScreenOutcomeKind.Refused, new ScreenChoice(refusal).Reason) { Refusal = refusal };

    internal static ScreenOutcome Failed(SaveException problem) => new(
        ScreenOutcomeKind.Failed, problem.Remedy is { } remedy ? $"{problem.Problem} {remedy}" : problem.Problem)
    {
        Problem = problem,
    };
}
