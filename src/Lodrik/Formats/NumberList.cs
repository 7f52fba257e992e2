namespace Lodrik.Formats;

/// <summary>Numbers whose count is not known before: the first few on the stack, which is all for most.</summary>
internal ref struct NumberList<T>(Span<T> first) where T : unmanaged
{
    private Span<T> _numbers = first;
    private int _count;

    public void Add(T number)
    {
        if (_count == _numbers.Length)
        {
            var larger = new T[2 * _numbers.Length];
            _numbers.CopyTo(larger);
            _numbers = larger;
        }
        _numbers[_count++] = number;
    }

    public readonly T[] ToArray() => _numbers[.._count].ToArray();
}
