namespace Lodrik.Formats;

/// <summary>Builds a JSON Pointer (RFC 6901) while a document is walked through.</summary>
internal sealed class PointerBuilder
{
    private readonly List<(string? Key, int Index)> _steps = [];

    public int Depth => _steps.Count;

    public void EnterMap() => _steps.Add((null, -1));

    public void EnterList() => _steps.Add((null, 0));

    public void Leave()
    {
        if (_steps.Count > 0)
            _steps.RemoveAt(_steps.Count - 1);
    }

    public void Key(string key)
    {
        if (_steps.Count > 0)
            _steps[^1] = (key, -1);
    }

    /// <summary>Notes that a value ended: the next one in a list has the next index.</summary>
    public void ValueEnded() => ValuesEnded(1);

    /// <summary>Notes that so many values ended.</summary>
    public void ValuesEnded(int count)
    {
        if (_steps.Count > 0 && _steps[^1] is { Key: null, Index: >= 0 } step)
            _steps[^1] = (null, step.Index + count);
    }

    public bool InList => _steps.Count > 0 && _steps[^1] is { Key: null, Index: >= 0 };

    /// <summary>A key as a step of a pointer (RFC 6901 section 3).</summary>
    public static string Escape(string key) =>
        key.Replace("~", "~0", StringComparison.Ordinal).Replace("/", "~1", StringComparison.Ordinal);

    /// <summary>A step of a pointer as the key.</summary>
    public static string Unescape(string step) =>
        step.Replace("~1", "/", StringComparison.Ordinal).Replace("~0", "~", StringComparison.Ordinal);

    public override string ToString()
    {
        var pointer = new System.Text.StringBuilder();
        foreach (var (key, index) in _steps)
        {
            if (key is not null)
                pointer.Append('/').Append(Escape(key));
            else if (index >= 0)
                pointer.Append('/').Append(index);
        }
        return pointer.ToString();
    }
}
