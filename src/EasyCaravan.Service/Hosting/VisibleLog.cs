using System.Globalization;
using EasyCaravan.Core.Formats;
using EasyCaravan.Core.Pacing;
using Serilog.Events;
using Serilog.Formatting;
using Serilog.Formatting.Display;

namespace EasyCaravan.Service.Hosting;

/// <summary>
/// One line for each event: what others say cannot begin a line that looks like one of ours, nor steer the terminal on which the log is
/// read. Lines of an exception are indented.
/// </summary>
internal sealed class VisibleLog : ITextFormatter
{
    private readonly MessageTemplateTextFormatter _message = new("{Message:lj}", CultureInfo.InvariantCulture);

    public void Format(LogEvent logEvent, TextWriter output)
    {
        using var message = new StringWriter(CultureInfo.InvariantCulture);
        _message.Format(logEvent, message);
        output.Write(logEvent.Timestamp.ToString("HH:mm:ss", CultureInfo.InvariantCulture));
        output.Write($" {LevelOf(logEvent.Level)} ");
        output.WriteLine(Shown(message.ToString()));
        if (logEvent.Exception is { } error)
            foreach (var line in error.ToString().ReplaceLineEndings("\n").Split('\n'))
                output.WriteLine($"    {Shown(line)}");
    }

    private static string Shown(string text) => VisibleText.Of(Secrecy.Hide(text));

    private static string LevelOf(LogEventLevel level) =>
        level switch
        {
            LogEventLevel.Verbose or LogEventLevel.Debug => "DBG",
            LogEventLevel.Information => "INF",
            LogEventLevel.Warning => "WRN",
            _ => "ERR",
        };
}
