using EasyCaravan.Core.Pacing;
using EasyCaravan.Service.Hosting;
using Serilog;
using Serilog.Core;
using Serilog.Events;

namespace EasyCaravan.Service.Tests;

/// <summary>What others say stands in the log as text on one line, and without the secrets that are in use.</summary>
public sealed class VisibleLogTests
{
    private sealed class Sink : ILogEventSink
    {
        private readonly VisibleLog _form = new();

        public StringWriter Text { get; } = new();

        public void Emit(LogEvent logEvent) => _form.Format(logEvent, Text);
    }

    private static string[] Written(Action<ILogger> write)
    {
        var sink = new Sink();
        using (var log = new LoggerConfiguration().WriteTo.Sink(sink).CreateLogger())
            write(log);
        return sink.Text.ToString().TrimEnd().Split('\n');
    }

    [Fact]
    public void A_line_cannot_be_forged_and_the_terminal_cannot_be_steered()
    {
        var line = Assert.Single(Written(log => log.Warning("The server said {Answer}", "no\r\n12:00:00 INF all is well\u001b[2J\u202e")));
        Assert.EndsWith(
            " WRN The server said no‹U+000D›‹U+000A›12:00:00 INF all is well‹U+001B›[2J‹U+202E›",
            line,
            StringComparison.Ordinal
        );
    }

    [Fact]
    public void Lines_of_an_exception_are_indented_and_hold_no_secret()
    {
        using var secrecy = Secrecy.Begin();
        Secrecy.Keep("tide-tables-of-1911");
        var lines = Written(log =>
            log.Error(new InvalidOperationException("not with tide-tables-of-1911\n12:00:00 INF forged"), "It failed")
        );
        Assert.EndsWith(" ERR It failed", lines[0], StringComparison.Ordinal);
        Assert.All(lines[1..], l => Assert.StartsWith("    ", l, StringComparison.Ordinal));
        Assert.DoesNotContain(lines, l => l.Contains("tide-tables", StringComparison.Ordinal));
    }
}
