using System.IO.Compression;
using System.Net.Http.Headers;
using System.Security.Cryptography;
using EasyCaravan.Contract;
using EasyCaravan.Core.Planning;
using YamlDotNet.RepresentationModel;

namespace EasyCaravan.Cli;

/// <summary>A file here, or one within a ZIP here.</summary>
/// <param name="Entry">Its name in the ZIP; null: it is the file itself.</param>
internal sealed record HandedFile(string Path, string? Entry);

/// <summary>
/// The files with contacts or events that a plan names by pattern: found below the plan's folder, and handed over to the service where it
/// has them not, or otherwise. A ZIP is named like a folder, and looked into.
/// </summary>
internal static class HandedFiles
{
    private const string ZipEnding = ".zip";

    /// <summary>Files in one ZIP; more than that is an attack.</summary>
    private const int MostEntries = 1_000_000;

    /// <summary>By the name that the service knows them by.</summary>
    /// <exception cref="CommandException">A ZIP cannot be read.</exception>
    public static IReadOnlyDictionary<string, HandedFile> Find(string planFile, string planText)
    {
        var folder = new PlanFolder(planFile);
        var found = new SortedDictionary<string, HandedFile>(StringComparer.Ordinal);
        foreach (var pattern in Patterns(planText))
        {
            var fits = FileGlob.Of(pattern);
            // What lies above the plan's folder is nobody's to hand over.
            if (!FileGlob.IsBelow(pattern))
                continue;
            var zipAt = pattern.IndexOf(ZipEnding + "/", StringComparison.OrdinalIgnoreCase);
            var plain = pattern.Split('*')[0];
            var start = Path.Combine(folder.Path, zipAt >= 0 && zipAt < plain.Length ? plain[..zipAt] : plain);
            start = Directory.Exists(start) ? start : Path.GetDirectoryName(start)!;
            if (!Directory.Exists(start))
                continue;
            var fitsZip = zipAt < 0 ? null : FileGlob.Of(pattern[..(zipAt + ZipEnding.Length)]);
            foreach (var path in PlanFolder.FilesBelow(start))
            {
                var name = Path.GetRelativePath(folder.Path, path).Replace('\\', '/');
                if (fits.IsMatch(name) && folder.Find(name, planFile) is { } real)
                    found[name] = new HandedFile(real, null);
                else if (fitsZip?.IsMatch(name) == true && folder.Find(name, planFile) is { } zip)
                    foreach (var (inside, entry) in EntriesOf(zip, name).Where(e => fits.IsMatch(e.Name)))
                        found[inside] = new HandedFile(zip, entry);
            }
        }
        return found;
    }

    /// <summary>The files in a ZIP, under the names that they have below the plan's folder. Names that lead elsewhere are none.</summary>
    private static List<(string Name, string Entry)> EntriesOf(string path, string name)
    {
        using var zip = OpenZip(path);
        if (zip.Entries.Count > MostEntries)
            throw Unreadable(path, $"it holds more than {MostEntries} files");
        var entries = zip
            .Entries.Where(e => !e.FullName.EndsWith('/') && FileGlob.IsBelow($"{name}/{e.FullName}"))
            .Select(e => (Name: $"{name}/{e.FullName}", Entry: e.FullName))
            .ToList();
        var names = new HashSet<string>(StringComparer.Ordinal);
        return entries.Find(e => !names.Add(e.Name)) is { Entry: { } twice } ? throw Unreadable(path, $"it holds {twice} twice") : entries;
    }

    private static ZipArchive OpenZip(string path)
    {
        try
        {
            return ZipFile.OpenRead(path);
        }
        catch (Exception e) when (IsUnreadable(e))
        {
            throw Unreadable(path, e.Message);
        }
    }

    private static bool IsUnreadable(Exception e) =>
        e is InvalidDataException or NotSupportedException or IOException or UnauthorizedAccessException;

    private static CommandException Unreadable(string path, string why) =>
        new(
            ExitCode.Failed,
            $"{path} cannot be read: {why.TrimEnd('.')}.\n"
                + "Unpack or mend it, name its files in the plan in its place, and apply the plan again."
        );

    private static byte[] Read(HandedFile file, ZipArchive? zip)
    {
        try
        {
            using var octets = zip is null ? File.OpenRead(file.Path) : zip.GetEntry(file.Entry!)!.Open();
            var whole = new MemoryStream();
            var piece = new byte[64 * 1024];
            // What a directory says of a size is not believed.
            for (int read; (read = octets.Read(piece)) > 0; whole.Write(piece, 0, read))
                if (whole.Length + read > ItemFileView.Largest)
                    throw new InvalidDataException($"{file.Entry ?? "it"} has more than {ItemFileView.Largest} octets");
            return whole.ToArray();
        }
        catch (Exception e) when (IsUnreadable(e))
        {
            throw Unreadable(file.Path, e.Message);
        }
    }

    /// <returns>The names of those that were sent.</returns>
    /// <exception cref="CommandException">A file cannot be read, or is too large.</exception>
    public static async Task<IReadOnlyList<string>> SendAsync(
        IReadOnlyDictionary<string, HandedFile> files,
        CaravanClient client,
        CancellationToken cancel
    )
    {
        if (files.Count == 0)
            return [];
        var known = (await client.GetAllAsync<ItemFileView>("files?limit=1000", cancel)).ToDictionary(f => f.Name, f => f.Digest);
        var sent = new List<string>();
        foreach (var together in files.GroupBy(f => (f.Value.Path, IsZip: f.Value.Entry is not null)))
        {
            using var zip = together.Key.IsZip ? OpenZip(together.Key.Path) : null;
            foreach (var (name, file) in together)
            {
                var octets = Read(file, zip);
                if (known.GetValueOrDefault(name) == Convert.ToHexStringLower(SHA256.HashData(octets)))
                    continue;
                using var content = new ByteArrayContent(octets)
                {
                    Headers = { ContentType = new MediaTypeHeaderValue("application/octet-stream") },
                };
                await client.PutAsync<ItemFileView>($"files?file={Uri.EscapeDataString(name)}", content, cancel);
                sent.Add(name);
            }
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
