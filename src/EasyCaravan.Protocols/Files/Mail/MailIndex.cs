using System.IO.Hashing;
using System.Text;
using EasyCaravan.Core.Planning;

namespace EasyCaravan.Protocols.Files.Mail;

/// <summary>What was found in a file.</summary>
internal sealed record FileContents(MessageForm Form, bool IsMarked, MailEntry[] Entries)
{
    /// <summary>What cannot be told for certain, and for how many messages.</summary>
    public (string What, long Messages)[] Unclear { get; init; } = [];

    /// <summary>Why it cannot be read; null: it can.</summary>
    public string? Refused { get; init; }
}

/// <summary>
/// Keeps what was found in one account's files, so that only those that changed are read again. It can be lost at any time: it is then made
/// anew, and says the same.
/// </summary>
internal sealed class MailIndex
{
    /// <summary>A file that was written this shortly before it was read may have been written after it without a sign.</summary>
    private static readonly TimeSpan s_unsure = TimeSpan.FromSeconds(2);

    private const string Mark = "easy-caravan mail index 2";

    private readonly string _path;
    private readonly string _terms;
    private readonly DateTimeOffset _time;
    private readonly Dictionary<string, Known> _before = [];
    private readonly Dictionary<string, Known> _now = [];
    private bool _changed;

    private MailIndex(string path, string terms, DateTimeOffset time) => (_path, _terms, _time) = (path, terms, time);

    /// <param name="Modified">The least value where it may have been written again within the same moment.</param>
    private sealed record Known(long Length, DateTimeOffset Modified, FileContents Contents);

    /// <param name="files">What the plan says of them decides how they are read.</param>
    /// <param name="time">It is now.</param>
    public static MailIndex Load(string path, MailFiles files, DateTimeOffset time)
    {
        var index = new MailIndex(path, $"{files.Speaks} {files.Dialect}", time);
        try
        {
            index.Read();
        }
        catch (Exception e)
            when (e is IOException or UnauthorizedAccessException or FormatException or ArgumentException or OverflowException)
        {
            index._before.Clear();
        }
        return index;
    }

    /// <summary>What is known of a file, or what <paramref name="read"/> finds in it; also that it cannot be read.</summary>
    /// <param name="neverChanges">Its length alone tells that it is the same.</param>
    public FileContents Get(string key, Source source, Func<FileContents> read, bool neverChanges = false)
    {
        if (_before.TryGetValue(key, out var known) && known.Length == source.Length && (neverChanges || known.Modified == source.Modified))
            return (_now[key] = known).Contents;
        _changed = true;
        FileContents contents;
        try
        {
            contents = read();
        }
        catch (Exception e) when (MailFilePlaces.IsOne(e))
        {
            contents = new FileContents(default, false, []) { Refused = e.Message };
        }
        var modified = _time - source.Modified < s_unsure ? DateTimeOffset.MinValue : source.Modified;
        _now[key] = new Known(source.Length, modified, contents);
        return contents;
    }

    /// <summary>Keeps what is there now. That it cannot be kept is no reason to stop.</summary>
    public void Save()
    {
        if (!_changed && _now.Count == _before.Count)
            return;
        try
        {
            Directory.CreateDirectory(
                Path.GetDirectoryName(_path)!,
                UnixFileMode.UserRead | UnixFileMode.UserWrite | UnixFileMode.UserExecute
            );
            var written = Path.Combine(Path.GetDirectoryName(_path)!, $".{Guid.NewGuid():N}");
            using (var file = new FileStream(written, FileMode.CreateNew, FileAccess.Write))
            using (var writer = new BinaryWriter(file))
                Write(writer);
            File.Move(written, _path, overwrite: true);
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException)
        {
            // The next pass reads the files again.
        }
    }

    private void Write(BinaryWriter writer)
    {
        writer.Write(Mark);
        writer.Write(_terms);
        writer.Write(_now.Count);
        foreach (var (key, known) in _now)
        {
            writer.Write(key);
            writer.Write(known.Length);
            writer.Write(known.Modified.UtcTicks);
            var contents = known.Contents;
            writer.Write(contents.Form.IsMbox);
            writer.Write((byte)contents.Form.Unquoting);
            writer.Write(contents.IsMarked);
            writer.Write(contents.Refused ?? "");
            writer.Write(contents.Unclear.Length);
            foreach (var (what, messages) in contents.Unclear)
            {
                writer.Write(what);
                writer.Write(messages);
            }
            writer.Write(contents.Entries.Length);
            foreach (var entry in contents.Entries)
            {
                writer.Write((ulong)(entry.Print >> 64));
                writer.Write((ulong)entry.Print);
                writer.Write(entry.Offset);
                writer.Write(entry.Raw);
                writer.Write(entry.Size);
                writer.Write(entry.Date.Ticks);
                writer.Write((short)entry.Date.Offset.TotalMinutes);
                writer.Write((byte)entry.DateSource);
                writer.Write(entry.Flags);
                writer.Write(entry.HasLength);
                writer.Write(entry.IsGzip);
            }
        }
        writer.Write(Mark);
    }

    private void Read()
    {
        if (!File.Exists(_path))
            return;
        using var reader = new BinaryReader(new BufferedStream(File.OpenRead(_path), 256 * 1024));
        if (reader.ReadString() != Mark || reader.ReadString() != _terms)
            return;
        for (var left = reader.ReadInt32(); left > 0; left--)
        {
            var key = reader.ReadString();
            var (length, modified) = (reader.ReadInt64(), new DateTimeOffset(reader.ReadInt64(), TimeSpan.Zero));
            var form = new MessageForm(reader.ReadBoolean(), (Unquoting)reader.ReadByte());
            var (isMarked, refused) = (reader.ReadBoolean(), reader.ReadString());
            var unclear = new (string, long)[reader.ReadInt32()];
            for (var i = 0; i < unclear.Length; i++)
                unclear[i] = (reader.ReadString(), reader.ReadInt64());
            var entries = new MailEntry[reader.ReadInt32()];
            for (var i = 0; i < entries.Length; i++)
                entries[i] = new MailEntry(
                    new UInt128(reader.ReadUInt64(), reader.ReadUInt64()),
                    reader.ReadInt64(),
                    reader.ReadInt64(),
                    reader.ReadInt64(),
                    new DateTimeOffset(reader.ReadInt64(), TimeSpan.FromMinutes(reader.ReadInt16())),
                    (DateSource)reader.ReadByte(),
                    reader.ReadString()
                )
                {
                    HasLength = reader.ReadBoolean(),
                    IsGzip = reader.ReadBoolean(),
                };
            var contents = new FileContents(form, isMarked, entries) { Unclear = unclear, Refused = refused.Length > 0 ? refused : null };
            _before[key] = new Known(length, modified, contents);
        }
        if (reader.ReadString() != Mark)
            _before.Clear();
    }

    /// <summary>A name of its own for each account of each service.</summary>
    public static string NameOf(string service, string account) =>
        $"{XxHash128.HashToUInt128(Encoding.UTF8.GetBytes($"{service}\0{account}")):x32}";
}
