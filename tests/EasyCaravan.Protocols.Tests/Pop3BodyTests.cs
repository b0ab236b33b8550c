using System.Text;
using CsCheck;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Protocols.Lines;
using EasyCaravan.Protocols.Pop3;

namespace EasyCaravan.Protocols.Tests;

public sealed class Pop3BodyTests
{
    /// <summary>Gives out octets in pieces of the sizes that a test asks for.</summary>
    private sealed class Pieces(byte[] octets, int size) : MemoryStream(octets)
    {
        public override ValueTask<int> ReadAsync(Memory<byte> buffer, CancellationToken cancellationToken = default) =>
            base.ReadAsync(buffer[..Math.Min(size, buffer.Length)], cancellationToken);
    }

    private static async Task<byte[]> ReadAsync(string wire, int size, string? after = null)
    {
        await using var connection = new LineConnection(
            new Pieces(Encoding.Latin1.GetBytes(wire + after), size),
            "a",
            TimeSpan.FromSeconds(10)
        );
        var body = new Pop3Body(connection);
        var octets = new MemoryStream();
        while (await body.ReadAsync(CancellationToken.None) is { Length: > 0 } piece)
            octets.Write(piece.Span);
        // What follows the end belongs to the next answer.
        if (after is not null)
            Assert.True(await Pop3Body.IsOkAsync(connection, CancellationToken.None));
        return octets.ToArray();
    }

    [Theory]
    [InlineData("a\r\n.\r\n", "a\r\n")]
    [InlineData(".\r\n", "")]
    [InlineData("..\r\n.\r\n", ".\r\n")]
    [InlineData("...x\r\n..\r\n\r\n.\r\n", "..x\r\n.\r\n\r\n")]
    [InlineData("a.\r\nb\n.c\r\n.\r\n", "a.\r\nb\n.c\r\n")]
    [InlineData(".\rx\r\n.\r\n", "\rx\r\n")]
    public async Task Dots_are_unwrapped_and_every_other_octet_stays(string wire, string message)
    {
        foreach (var size in new[] { 1, 2, 3, 1000 })
            Assert.Equal(message, Encoding.Latin1.GetString(await ReadAsync(wire, size, "+OK next\r\n")));
    }

    [Fact]
    public void Whatever_a_message_holds_comes_out_as_it_went_in() =>
        Gen.Select(Gen.Char["ab.\r\n"].Array[0, 60], Gen.Int[1, 7])
            .Sample(
                (letters, size) =>
                {
                    // As a server escapes it (RFC 1939 §3): a dot before each line that begins with one, and a line end before the final
                    // dot.
                    var message = new string(letters) + "\r\n";
                    var wrapped =
                        (message.StartsWith('.') ? "." : "") + message.Replace("\r\n.", "\r\n..", StringComparison.Ordinal) + ".\r\n";
                    Assert.Equal(message, Encoding.Latin1.GetString(ReadAsync(wrapped, size).GetAwaiter().GetResult()));
                }
            );

    [Fact]
    public async Task An_end_that_never_comes_is_a_lost_connection() =>
        Assert.Equal(Cause.ConnectionLost, (await Assert.ThrowsAsync<FaultException>(() => ReadAsync("half a message", 5))).Fault.Cause);
}
