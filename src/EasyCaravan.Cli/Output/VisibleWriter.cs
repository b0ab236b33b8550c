using System.Text;
using EasyCaravan.Core.Formats;

namespace EasyCaravan.Cli.Output;

/// <summary>Writes text on to a terminal, a pipe or a file; what could steer a terminal is shown instead of sent.</summary>
internal sealed class VisibleWriter(TextWriter inner) : TextWriter(inner.FormatProvider)
{
    public override Encoding Encoding => inner.Encoding;

    public override void Write(char value) => Write(value.ToString());

    public override void Write(char[] buffer, int index, int count) => Write(new string(buffer, index, count));

    public override void Write(string? value) => inner.Write(VisibleText.Of(value ?? "", keepsLines: true));

    public override void WriteLine(string? value)
    {
        Write(value);
        inner.WriteLine();
    }

    public override void Flush() => inner.Flush();
}
