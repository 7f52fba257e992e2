namespace Lodrik.State;

/// <summary>What can write itself as one value, whatever the format.</summary>
internal interface IValueWriter
{
    void Write<TWriter>(ref TWriter writer) where TWriter : IStateWriter, allows ref struct;
}
