using System.Globalization;
using System.Text;

namespace EasyCaravan.StandIns;

/// <summary>Reads a client's commands: words, quoted strings and literals, as Latin-1 so that every octet survives.</summary>
internal sealed class StandInInput(Stream stream)
{
    private readonly byte[] _buffer = new byte[64 * 1024];
    private int _read,
        _filled;

    /// <summary>
    /// The words of one command. Parentheses stay on the words they touch; a literal or quoted string is one word. Null at the end.
    /// </summary>
    /// <param name="say">Sends a line: the leave for a literal that waits for one.</param>
    public async Task<List<string>?> ReadWordsAsync(Func<string, CancellationToken, Task> say, CancellationToken cancel)
    {
        var words = new List<string>();
        while (true)
        {
            if (await TryReadLineAsync(cancel) is not { } line)
                return null;
            var literal = SplitInto(words, line);
            if (literal is not { } announced)
                return words;
            if (!announced.Waitless)
                await say("+ go on", cancel);
            words.Add(await ReadOctetsAsync(announced.Length, cancel));
        }
    }

    public async Task<string> ReadLineAsync(CancellationToken cancel) =>
        await TryReadLineAsync(cancel) ?? throw new IOException("The client left.");

    private static (int Length, bool Waitless)? SplitInto(List<string> words, string line)
    {
        for (var i = 0; i < line.Length; )
        {
            if (line[i] == ' ')
            {
                i++;
            }
            else if (line[i] == '"')
            {
                var word = new StringBuilder();
                for (i++; i < line.Length && line[i] != '"'; i++)
                {
                    if (line[i] == '\\')
                        i++;
                    word.Append(line[i]);
                }
                words.Add(word.ToString());
                i++;
            }
            else if (line[i] == '{' && line.EndsWith('}'))
            {
                var digits = line[(i + 1)..^1];
                return (int.Parse(digits.TrimEnd('+'), CultureInfo.InvariantCulture), digits.EndsWith('+'));
            }
            else
            {
                var end = line.IndexOf(' ', i);
                if (end < 0)
                    end = line.Length;
                words.Add(line[i..end]);
                i = end;
            }
        }
        return null;
    }

    private async Task<string?> TryReadLineAsync(CancellationToken cancel)
    {
        var line = new StringBuilder();
        while (true)
        {
            if (_read == _filled && !await FillAsync(cancel))
                return null;
            var newline = Array.IndexOf(_buffer, (byte)'\n', _read, _filled - _read);
            var end = newline < 0 ? _filled : newline;
            line.Append(Encoding.Latin1.GetString(_buffer, _read, end - _read));
            _read = newline < 0 ? end : end + 1;
            if (newline >= 0)
                return line.ToString().TrimEnd('\r');
        }
    }

    private async Task<string> ReadOctetsAsync(int count, CancellationToken cancel)
    {
        var octets = new StringBuilder(count);
        while (octets.Length < count)
        {
            if (_read == _filled && !await FillAsync(cancel))
                throw new IOException("The client left in a literal.");
            var some = Math.Min(count - octets.Length, _filled - _read);
            octets.Append(Encoding.Latin1.GetString(_buffer, _read, some));
            _read += some;
        }
        return octets.ToString();
    }

    private async Task<bool> FillAsync(CancellationToken cancel)
    {
        _read = 0;
        _filled = await stream.ReadAsync(_buffer, cancel);
        return _filled > 0;
    }
}
