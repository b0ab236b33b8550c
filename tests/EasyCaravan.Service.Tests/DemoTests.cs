using EasyCaravan.Service.Demo;

namespace EasyCaravan.Service.Tests;

public sealed class DemoTests
{
    [Fact]
    public async Task The_demonstration_runs_to_its_end_with_closing_sums_and_only_the_planted_faults()
    {
        var output = new StringWriter();
        var before = Console.Out;
        Console.SetOut(output);
        try
        {
            Assert.Equal(
                0,
                await DemoCommand.RunAsync(
                    new DemoOptions(ExitWhenDone: true, Fast: true, null, new Uri("http://127.0.0.1:0")),
                    CancellationToken.None
                )
            );
        }
        finally
        {
            Console.SetOut(before);
        }
        var text = output.ToString();
        Assert.Contains("3 messages were left behind", text, StringComparison.Ordinal);
        Assert.Contains("Orla Fenwick", text, StringComparison.Ordinal);
        Assert.DoesNotContain("DO NOT CLOSE", text, StringComparison.Ordinal);
        Assert.Contains("9 in step", text, StringComparison.Ordinal);
        Assert.Contains("Maeve Harrow has crossed", text, StringComparison.Ordinal);
        Assert.Contains("Niklas Åström has crossed", text, StringComparison.Ordinal);
        Assert.Contains("Imogen Vale does not cross: the gate left-behind is shut", text, StringComparison.Ordinal);
    }
}
