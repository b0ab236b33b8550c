using System.Globalization;
using System.IO.Compression;
using System.Security.Cryptography;
using System.Text;
using System.Text.Json;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;
using EasyCaravan.Tests.Shared;

namespace EasyCaravan.Protocols.Tests;

/// <summary>The mail of a parcel that was made by hand, as <c>docs/parcel.md</c> says, with another program's archive.</summary>
public sealed class HandMadeParcelTests : MailReadingContract, IDisposable
{
    private readonly TestPlace _place = new();
    private readonly List<(string Flags, DateTimeOffset Received, byte[] Octets)> _messages = [];

    protected override FolderPath Folder { get; } = FolderPath.Of("Projects", "Ferry: 2026/27");

    protected override Task<IMailAccount> OpenAsync() => Task.FromResult(_place.Places.OpenMail(TestPlace.Service, TestPlace.Reads));

    protected override Task PutAsync(string flags, DateTimeOffset received, byte[] octets)
    {
        _messages.Add((flags, received, octets));
        var folder = Directory.CreateDirectory(Path.Combine(_place.Folder, "parcels")).FullName;
        var path = Path.Combine(folder, $"{TestPlace.Account} 2020-01-01.zip");
        File.Delete(path);
        using var archive = ZipFile.Open(path, ZipArchiveMode.Create);
        var manifest = new StringBuilder();
        manifest.Append(
            """
            {"record":"parcel","form":"easy-caravan-parcel/1","parcel":"6f9619ff-8b86-4d01-b42d-00cf4fc964ff","part":1,"packing":1,
            "complete":true,"account":"aoife.marsh@saltmarsh.example","service":"lanternpost","began":"2020-01-01T00:00:00+00:00",
            "ended":"2020-01-01T00:00:00+00:00","rules":[],"tables":1}
            """.ReplaceLineEndings("")
        );
        manifest.Append('\n');
        manifest.Append(
            $$"""
            {"record":"folder","id":7,"names":["Projects","Ferry: 2026/27"],"place":"mail/a","subscribed":true,"epoch":5,
            "next":{{_messages.Count + 1}},"mark":1,"count":{{_messages.Count}},"later":"what a later form may add"}
            """.ReplaceLineEndings("")
        );
        manifest.Append('\n').Append("""{"record":"of a later form"}""").Append('\n');
        foreach (var (message, i) in _messages.Select((m, i) => (m, i)))
        {
            var name = $"mail/a/{i}.eml";
            using (var entry = archive.CreateEntry(name, i % 2 == 0 ? CompressionLevel.Optimal : CompressionLevel.NoCompression).Open())
                entry.Write(message.Octets);
            manifest.Append(
                JsonSerializer.Serialize(
                    new Dictionary<string, object>
                    {
                        ["record"] = "message",
                        ["folder"] = 7,
                        ["number"] = i + 1,
                        ["path"] = name,
                        ["size"] = message.Octets.Length,
                        ["sha256"] = Convert.ToHexStringLower(SHA256.HashData(message.Octets)),
                        ["received"] = message.Received.ToString("yyyy-MM-ddTHH:mm:sszzz", CultureInfo.InvariantCulture),
                        ["flags"] = message.Flags.Split(' ', StringSplitOptions.RemoveEmptyEntries),
                    }
                )
            );
            manifest.Append('\n');
        }
        manifest.Append("""{"record":"end","records":0}""").Append('\n');
        using var stream = archive.CreateEntry("manifest.jsonl").Open();
        stream.Write(Encoding.UTF8.GetBytes(manifest.ToString()));
        return Task.CompletedTask;
    }

    public void Dispose() => _place.Dispose();
}
