using System.Net.Http.Headers;
using System.Security.Cryptography;
using EasyCaravan.Contract;
using EasyCaravan.Core.Planning;
using YamlDotNet.RepresentationModel;

namespace EasyCaravan.Cli;

/// <summary>
/// The files with contacts or events that a plan names by pattern: found below the plan's folder, and handed over to the service where it
/// has them not, or otherwise.
/// </summary>
internal static class HandedFiles
{
    /// <summary>By the name that the service knows them by, each with its path here.</summary>
    public static IReadOnlyDictionary<string, string> Find(string planFile, string planText)
    {
        var folder = new PlanFolder(planFile);
        var found = new SortedDictionary<string, string>(StringComparer.Ordinal);
        foreach (var pattern in Patterns(planText))
        {
            var fits = FileGlob.Of(pattern);
            // What lies above the plan's folder is nobody's to hand over.
            if (!FileGlob.IsBelow(pattern))
                continue;
            var start = Path.Combine(folder.Path, pattern.Split('*')[0]);
            start = Directory.Exists(start) ? start : Path.GetDirectoryName(start)!;
            if (!Directory.Exists(start))
                continue;
            foreach (var path in PlanFolder.FilesBelow(start))
            {
                var name = Path.GetRelativePath(folder.Path, path).Replace('\\', '/');
                if (fits.IsMatch(name) && folder.Find(name, planFile) is { } real)
                    found[name] = real;
            }
        }
        return found;
    }

    /// <returns>The names of those that were sent.</returns>
    public static async Task<IReadOnlyList<string>> SendAsync(
        IReadOnlyDictionary<string, string> files,
        CaravanClient client,
        CancellationToken cancel
    )
    {
        if (files.Count == 0)
            return [];
        var known = (await client.GetAllAsync<ItemFileView>("files?limit=1000", cancel)).ToDictionary(f => f.Name, f => f.Digest);
        var sent = new List<string>();
        foreach (var (name, path) in files)
        {
            await using var file = File.OpenRead(path);
            var digest = Convert.ToHexStringLower(await SHA256.HashDataAsync(file, cancel));
            if (known.GetValueOrDefault(name) == digest)
                continue;
            file.Position = 0;
            using var content = new StreamContent(file)
            {
                Headers = { ContentType = new MediaTypeHeaderValue("application/octet-stream") },
            };
            await client.PutAsync<ItemFileView>($"files?file={Uri.EscapeDataString(name)}", content, cancel);
            sent.Add(name);
        }
        return sent;
    }

    private static HashSet<string> Patterns(string planText) =>
        [
            .. PlanReading
                .Mappings(planText)
                // Mail in files lies on the service's machine, and is not sent there.
                .Where(m =>
                    m.Children.TryGetValue("speaks", out var word) && word is YamlScalarNode { Value: "csv" or "vcard" or "icalendar" }
                )
                .Select(m => m.Children.TryGetValue("file", out var file) ? (file as YamlScalarNode)?.Value : null)
                .OfType<string>()
                .Select(p => p.Replace("{account}", "*", StringComparison.Ordinal)),
        ];
}
