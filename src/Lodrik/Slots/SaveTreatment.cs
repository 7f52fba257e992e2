namespace Lodrik;

/// <summary>
/// What a store does with a save that is readable and still not what it should be: edited by hand, tampered with, made by a newer version
/// of the game, invalid by the game's own rules, or replayed.
/// </summary>
public enum SaveTreatment
{
    /// <summary>It loads. The result says what is wrong with it where that can be told.</summary>
    Load,

    /// <summary>It loads, and the result says what is wrong with it: for a mark that an honest run keeps or loses.</summary>
    Mark,

    /// <summary>It is passed over for the save before, as a damaged one is.</summary>
    PassOver,

    /// <summary>It is an error.</summary>
    Refuse,
}
