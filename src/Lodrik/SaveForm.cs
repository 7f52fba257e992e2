namespace Lodrik;

/// <summary>How the content of a save is written. The same generated code serves all three.</summary>
public enum SaveForm
{
    /// <summary>JSON (RFC 8259): readable, and the easiest to edit by hand.</summary>
    Json,

    /// <summary>XML 1.0: readable, with elements for members.</summary>
    Xml,

    /// <summary>CBOR (RFC 8949): compact and fast.</summary>
    Binary,
}
