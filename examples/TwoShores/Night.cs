using Lodrik;

namespace TwoShores;

/// <summary>What a night at the beacons leaves behind.</summary>
[SaveFile("tidewarden-shores")]
public sealed partial class Night
{
    public int Oil { get; set; }

    public int BeaconsLit { get; set; }

    public int LettersDelivered { get; set; }
}
