using System.Globalization;
using System.Text;

namespace EasyCaravan.Tests.Shared;

/// <summary>
/// Feeds a parser with the files of a corpus as they are, then with mutations of them. Bounded in the normal run; with
/// <c>CARAVAN_FUZZ_SECONDS</c> set it goes on for so long with ever new seeds, with <c>CARAVAN_FUZZ_ROUNDS</c> for so many mutations. An
/// input that the parser does not bear is kept in <c>artifacts/fuzz</c>: once mended, it belongs into the corpus.
/// </summary>
internal static class Fuzz
{
    private static readonly int s_rounds = FromEnvironment("CARAVAN_FUZZ_ROUNDS", 1_500);

    /// <summary>Far more than any of these inputs takes: what is caught is a parser that does not come to an end.</summary>
    private static readonly TimeSpan s_patience = TimeSpan.FromSeconds(30);

    /// <summary>What breaks parsers: edges of numbers, half of a pair, what opens and never closes, octets that are no text.</summary>
    private static readonly byte[][] s_words =
    [
        .. new[]
        {
            "0",
            "-1",
            "4294967295",
            "4294967296",
            "9223372036854775807",
            "9223372036854775808",
            "18446744073709551616",
            "{4294967295}\r\n",
            "{2147483647}\r\n",
            "{0}\r\n",
            "{16777217}\r\n",
            "(",
            ")",
            "\"",
            "\\",
            "\r\n",
            "\n",
            "\0",
            "\u00ff\u00fe",
            "\u00c3",
            "NIL",
            "1:*",
            "*:1",
            "4294967295:1",
            "&",
            "&-",
            "&2D3-",
            "\r\n.\r\n",
            ":: ",
            ":< ",
            "---\n",
            "&a *a",
            "\t",
            ": ",
            "- ",
        }.Select(Encoding.Latin1.GetBytes),
        Encoding.Latin1.GetBytes(new string('(', 3_000)),
        Encoding.Latin1.GetBytes(new string('[', 3_000)),
        Encoding.Latin1.GetBytes(new string('9', 300)),
        Encoding.UTF8.GetBytes("\u202e\ud83d\ude00\u0301"),
    ];

    /// <param name="corpus">The folder below <c>tests/Corpus</c>.</param>
    /// <param name="parse">Throws where the parser breaks a promise; what it may say of bad input, it takes itself.</param>
    public static async Task RunAsync(string corpus, Func<byte[], Task> parse)
    {
        var seeds = Directory
            .GetFiles(Path.Combine(AppContext.BaseDirectory, "Corpus", corpus))
            .Order(StringComparer.Ordinal)
            .Select(File.ReadAllBytes)
            .ToList();
        Assert.NotEmpty(seeds);
        foreach (var seed in seeds)
            await TryAsync(corpus, seed, parse);
        var until = DateTime.UtcNow + TimeSpan.FromSeconds(FromEnvironment("CARAVAN_FUZZ_SECONDS", 0));
        for (var round = 0; round < s_rounds || DateTime.UtcNow < until; round++)
            await TryAsync(corpus, Mutate(new Random(round), seeds), parse);
    }

    private static int FromEnvironment(string name, int usual) =>
        int.TryParse(Environment.GetEnvironmentVariable(name), CultureInfo.InvariantCulture, out var given) ? given : usual;

    public static Task RunAsync(string corpus, Action<byte[]> parse) => RunAsync(corpus, octets =>
        {
            parse(octets);
            return Task.CompletedTask;
        });

    private static async Task TryAsync(string corpus, byte[] input, Func<byte[], Task> parse)
    {
        try
        {
            await Task.Run(() => parse(input)).WaitAsync(s_patience);
        }
        catch (Exception e)
        {
            var kept = Path.Combine(AppContext.BaseDirectory, "../../../fuzz", $"{corpus}-{Convert.ToHexStringLower(Hash(input))}");
            Directory.CreateDirectory(Path.GetDirectoryName(kept)!);
            await File.WriteAllBytesAsync(kept, input);
            throw new InvalidOperationException($"The input is kept in {Path.GetFullPath(kept)}. {e.Message}", e);
        }
    }

    private static byte[] Hash(byte[] input) => System.Security.Cryptography.SHA256.HashData(input)[..4];

    private static byte[] Mutate(Random random, List<byte[]> seeds)
    {
        var octets = seeds[random.Next(seeds.Count)].ToList();
        for (var changes = random.Next(1, 6); changes > 0; changes--)
        {
            var at = random.Next(octets.Count + 1);
            var length = Math.Min(random.Next(1, 30), octets.Count - at);
            switch (random.Next(7))
            {
                case 0 when at < octets.Count:
                    octets[at] ^= (byte)(1 << random.Next(8));
                    break;
                case 1:
                    octets.Insert(at, (byte)random.Next(256));
                    break;
                case 2:
                    octets.RemoveRange(at, length);
                    break;
                case 3:
                    octets.InsertRange(at, octets.GetRange(at, length));
                    break;
                case 4:
                    octets.InsertRange(at, s_words[random.Next(s_words.Length)]);
                    break;
                case 5:
                    var other = seeds[random.Next(seeds.Count)];
                    octets.InsertRange(at, other.AsSpan(random.Next(other.Length + 1)).ToArray());
                    break;
                default:
                    octets.RemoveRange(at, octets.Count - at);
                    break;
            }
        }
        return [.. octets];
    }
}
