namespace Lodrik.Saver;

/// <summary>What is saved over and over.</summary>
[SaveFile("tally")]
public sealed partial class Tally
{
    public Count Count { get; set; } = new();
}

/// <summary>A number that only grows, and something that makes the file long.</summary>
[StateType]
public sealed partial class Count
{
    public int Number { get; set; }
    public byte[] Ballast { get; set; } = [];
}
