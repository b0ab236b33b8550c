using System.Diagnostics;
using System.Text.Json;

namespace EasyCaravan.Peers.Tests.Parcels;

/// <summary>Reads parcels by programs that share no code with the product.</summary>
internal static class PythonZip
{
    /// <summary>
    /// Replays all manifests of a parcel and compares digests and sizes: folder names, internal date, flags and SHA-256 of each message, as
    /// <c>docs/parcel.md</c> says.
    /// </summary>
    private const string Script = """
        import hashlib, json, os, sys, zipfile
        name, messages, items, names = sys.argv[1], {}, {}, {}
        part = 1
        while True:
            path = name + ('.zip' if part == 1 else '.part-%d.zip' % part)
            if not os.path.exists(path): break
            with zipfile.ZipFile(path) as z:
                assert z.testzip() is None
                for line in z.read('manifest.jsonl').decode('utf-8').splitlines():
                    r = json.loads(line)
                    kind = r['record']
                    if kind == 'parcel': tables = r['tables']; there = set(); continue
                    if kind in ('folder', 'collection'):
                        names[r['id']] = r.get('names') or r['properties'].get('title') or r['name']
                        if tables > 0: there.add(r['id']); tables -= 1
                    elif kind in ('message', 'item'):
                        octets = z.read(r['path'])
                        assert len(octets) == r['size'] and hashlib.sha256(octets).hexdigest() == r['sha256'], r['path']
                        if kind == 'message': messages[(r['folder'], r['number'])] = [r['sha256'], r['received'], r['flags']]
                        else: items[(r['collection'], r['name'])] = octets.decode('utf-8')
                    elif kind == 'flags': messages[(r['folder'], r['number'])][2] = r['flags']
                    elif kind == 'moved': messages[(r['to-folder'], r['to-number'])] = messages.pop((r['folder'], r['number']))
                    elif kind == 'gone': del messages[(r['folder'], r['number'])]
                    elif kind == 'item-gone': del items[(r['collection'], r['name'])]
            part += 1
        print(json.dumps({
            'messages': [['/'.join(names[f])] + m for (f, _), m in messages.items() if f in there],
            'items': [[names[c], text] for (c, _), text in items.items() if c in there]}))
        """;

    /// <param name="Messages">Folder, SHA-256, internal date, flags.</param>
    internal sealed record Held(
        List<(string Folder, string Sha256, DateTimeOffset Received, string Flags)> Messages,
        List<(string, string)> Items
    );

    public static Held Read(string firstPart)
    {
        var output = Run("python3", "-c", Script, firstPart[..^".zip".Length]);
        using var json = JsonDocument.Parse(output);
        return new Held(
            [
                .. json
                    .RootElement.GetProperty("messages")
                    .EnumerateArray()
                    .Select(m =>
                        (
                            m[0].GetString()!,
                            m[1].GetString()!,
                            m[2].GetDateTimeOffset(),
                            string.Join(' ', m[3].EnumerateArray().Select(f => f.GetString()!).Order(StringComparer.OrdinalIgnoreCase))
                        )
                    ),
            ],
            [.. json.RootElement.GetProperty("items").EnumerateArray().Select(i => (i[0].GetString()!, i[1].GetString()!))]
        );
    }

    public static string Run(string program, params string[] arguments)
    {
        using var process = Process.Start(
            new ProcessStartInfo(program, arguments) { RedirectStandardOutput = true, RedirectStandardError = true }
        )!;
        var error = process.StandardError.ReadToEndAsync();
        var output = process.StandardOutput.ReadToEnd();
        process.WaitForExit();
        Assert.True(process.ExitCode == 0, $"{program}: {output}{error.Result}");
        return output;
    }
}
