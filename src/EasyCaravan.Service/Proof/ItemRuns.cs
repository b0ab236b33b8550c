using System.Globalization;
using System.Text;

namespace EasyCaravan.Service.Proof;

/// <summary>
/// Numbers of items of one outcome, in order, as runs such as <c>1:500=1 502=900 7</c>: items 1 to 500 of the old side landed as 1 to 500
/// of the new one, item 502 as 900, and of item 7 nobody knows the number there.
/// </summary>
internal sealed class ItemRuns
{
    private readonly StringBuilder _text = new();
    private long _first,
        _count;
    private long? _landed;

    public void Add(long number, long? landed)
    {
        if (_count > 0 && number == _first + _count && landed == _landed + _count)
        {
            _count++;
            return;
        }
        Write();
        (_first, _count, _landed) = (number, 1, landed);
    }

    /// <summary>Null: there was none.</summary>
    public string? End()
    {
        Write();
        _count = 0;
        return _text.Length == 0 ? null : _text.ToString();
    }

    private void Write()
    {
        if (_count == 0)
            return;
        if (_text.Length > 0)
            _text.Append(' ');
        _text.Append(CultureInfo.InvariantCulture, $"{_first}");
        if (_count > 1)
            _text.Append(CultureInfo.InvariantCulture, $":{_first + _count - 1}");
        if (_landed is { } landed)
            _text.Append(CultureInfo.InvariantCulture, $"={landed}");
    }
}
