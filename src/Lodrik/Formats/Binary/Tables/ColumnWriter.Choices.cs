using Lodrik.State;

namespace Lodrik.Formats.Binary.Tables;

// A column whose values are of several sorts: it chooses between columns of one kind each.
internal sealed partial class ColumnWriter
{
    /// <summary>The column of this kind in which the next value goes: this one, or one of those that it chooses from.</summary>
    public ColumnWriter For(ColumnKind kind, TableTally tally, KeyTable? shape = null)
    {
        if (Kind == kind && ReferenceEquals(Shape, shape))
            return this;
        if (Kind == ColumnKind.Empty)
        {
            Become(kind, shape, tally);
            return this;
        }
        if (Kind != ColumnKind.Choice)
            Split(tally);
        return Choose(kind, shape, tally);
    }

    /// <summary>Turns into a choice, the first column of which is what this has been.</summary>
    private void Split(TableTally tally)
    {
        var slots = Slots;
        var first = Rent(tally, Nesting + 1);
        first.TakeOver(this);
        Kind = ColumnKind.Choice;
        Children.Add(first);
        _integers.Reset();
        _flushed = 0;
        Longs = [];
        AddLengths(tally);
        for (var i = 0; i < slots; i++)
            _lengths!.AddInteger(0);
        Count = slots;
    }

    private ColumnWriter Choose(ColumnKind kind, KeyTable? shape, TableTally tally)
    {
        // Sorts mostly come in turns or in the order in which they came first.
        for (var step = 0; step < Children.Count; step++)
        {
            var index = _lastChoice + step;
            if (index >= Children.Count)
                index -= Children.Count;
            var child = Children[index];
            if (child.Kind == kind && ReferenceEquals(child.Shape, shape))
            {
                _lastChoice = index;
                AddLength(index);
                return child;
            }
        }
        _lastChoice = Children.Count;
        AddLength(_lastChoice);
        var added = Rent(tally, Nesting + 1);
        added.Become(kind, shape, tally);
        Children.Add(added);
        return added;
    }

    /// <summary>Whether one more kind of objects would be too many.</summary>
    public bool HasTooManyChoices => Kind == ColumnKind.Choice && Children.Count >= TableFormat.MaxChoices;

    private void TakeOver(ColumnWriter other)
    {
        Kind = other.Kind;
        Longs = other.Longs;
        Singles = other.Singles;
        Doubles = other.Doubles;
        Flags = other.Flags;
        Count = other.Count;
        Text = other.Text;
        Shape = other.Shape;
        Children.AddRange(other.Children);
        FirstChild = other.FirstChild;
        _integers.TakeOver(other._integers);
        _bytes = other._bytes;
        _lengths = other._lengths;
        _flushed = other._flushed;
        _lastChoice = other._lastChoice;
        other.Children.Clear();
        other.Longs = [];
        other.Singles = [];
        other.Doubles = [];
        other.Flags = [];
        other.Text = null;
        other.Shape = null;
        other._bytes = null;
        other._lengths = null;
        other.Count = 0;
    }
}
