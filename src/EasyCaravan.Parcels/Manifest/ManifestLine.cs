using System.Collections.Immutable;
using System.Globalization;
using System.Text.Encodings.Web;
using System.Text.Json;
using EasyCaravan.Contract;

namespace EasyCaravan.Parcels.Manifest;

/// <summary>
/// Writes a record as a line of JSON, and reads it again. Lines of kinds that are not known are skipped, as later forms may have them.
/// </summary>
public static class ManifestLine
{
    /// <summary>Octets of one line: names and labels are bounded by what writes them.</summary>
    public const int Longest = 1024 * 1024;

    private const string Kind = "record";

    private static readonly JsonWriterOptions s_options = new()
    {
        Encoder = JavaScriptEncoder.UnsafeRelaxedJsonEscaping,
        SkipValidation = true,
    };

    private static readonly ImmutableArray<(MoveKind Kind, string Word)> s_kinds =
    [
        (MoveKind.Mail, "mail"),
        (MoveKind.Contacts, "contacts"),
        (MoveKind.Calendars, "calendars"),
    ];

    public static string WordOf(MoveKind kind) => s_kinds.First(k => k.Kind == kind).Word;

    /// <returns>Without a line end.</returns>
    public static byte[] Write(ManifestRecord record)
    {
        var buffer = new System.Buffers.ArrayBufferWriter<byte>(512);
        using (var json = new Utf8JsonWriter(buffer, s_options))
        {
            json.WriteStartObject();
            WriteMembers(json, record);
            json.WriteEndObject();
        }
        return buffer.WrittenSpan.ToArray();
    }

    private static void WriteMembers(Utf8JsonWriter json, ManifestRecord record)
    {
        switch (record)
        {
            case ManifestHeader h:
                json.WriteString(Kind, "parcel");
                json.WriteString("form", ManifestHeader.Form);
                json.WriteString("parcel", h.Parcel);
                json.WriteNumber("part", h.Part);
                json.WriteNumber("packing", h.Packing);
                json.WriteBoolean("complete", h.IsComplete);
                json.WriteString("account", h.Account);
                json.WriteString("service", h.Service);
                json.WriteString("began", Time(h.Began));
                json.WriteString("ended", Time(h.Ended));
                if (h.By is not null)
                    json.WriteString("by", h.By);
                WriteTexts(json, "rules", h.Rules);
                if (h.Before is not null)
                    json.WriteString("before", h.Before);
                json.WriteNumber("tables", h.Tables);
                break;
            case FolderRecord f:
                json.WriteString(Kind, "folder");
                json.WriteNumber("id", f.Id);
                WriteTexts(json, "names", f.Names);
                json.WriteString("place", f.Place);
                if (f.Use is not null)
                    json.WriteString("use", f.Use);
                json.WriteBoolean("subscribed", f.IsSubscribed);
                json.WriteNumber("epoch", f.Epoch);
                json.WriteNumber("next", f.Next);
                json.WriteNumber("mark", f.Mark);
                json.WriteNumber("count", f.Count);
                break;
            case CollectionRecord c:
                json.WriteString(Kind, "collection");
                json.WriteNumber("id", c.Id);
                json.WriteString("kind", WordOf(c.Kind));
                json.WriteString("name", c.Name);
                json.WriteString("place", c.Place);
                json.WriteStartObject("properties");
                foreach (var (word, value) in c.Properties)
                    json.WriteString(word, value);
                json.WriteEndObject();
                json.WriteBoolean("default", c.IsDefault);
                json.WriteNumber("mark", c.Mark);
                json.WriteNumber("count", c.Count);
                break;
            case MessageRecord m:
                json.WriteString(Kind, "message");
                json.WriteNumber("folder", m.Folder);
                json.WriteNumber("number", m.Number);
                WriteFile(json, m.Path, m.Size, m.Sha256);
                json.WriteString("received", Time(m.Received));
                WriteTexts(json, "flags", m.Flags);
                WriteWord(json, "from", m.Label.From);
                WriteWord(json, "subject", m.Label.Subject);
                WriteWord(json, "date", m.Label.Date);
                WriteWord(json, "message-id", m.Label.MessageId);
                break;
            case FlagsRecord f:
                json.WriteString(Kind, "flags");
                json.WriteNumber("folder", f.Folder);
                json.WriteNumber("number", f.Number);
                WriteTexts(json, "flags", f.Flags);
                break;
            case MovedRecord m:
                json.WriteString(Kind, "moved");
                json.WriteNumber("folder", m.Folder);
                json.WriteNumber("number", m.Number);
                json.WriteNumber("to-folder", m.ToFolder);
                json.WriteNumber("to-number", m.ToNumber);
                break;
            case GoneRecord g:
                json.WriteString(Kind, "gone");
                json.WriteNumber("folder", g.Folder);
                json.WriteNumber("number", g.Number);
                break;
            case ItemRecord i:
                json.WriteString(Kind, "item");
                json.WriteNumber("collection", i.Collection);
                json.WriteString("name", i.Name);
                WriteFile(json, i.Path, i.Size, i.Sha256);
                WriteWord(json, "title", i.Title);
                break;
            case ItemGoneRecord g:
                json.WriteString(Kind, "item-gone");
                json.WriteNumber("collection", g.Collection);
                json.WriteString("name", g.Name);
                break;
            case RemovedRecord r:
                json.WriteString(Kind, "removed");
                json.WriteNumber("id", r.Id);
                break;
            case EndRecord e:
                json.WriteString(Kind, "end");
                json.WriteNumber("records", e.Records);
                foreach (var (kind, sum) in e.Sums)
                {
                    json.WriteStartObject(WordOf(kind));
                    json.WriteNumber("items", sum.Items);
                    json.WriteNumber("octets", sum.Octets);
                    json.WriteString("contents", sum.Contents);
                    json.WriteEndObject();
                }
                break;
            default:
                throw new InvalidOperationException($"Unknown record {record.GetType().Name}.");
        }
    }

    private static void WriteFile(Utf8JsonWriter json, string path, long size, string sha256)
    {
        json.WriteString("path", path);
        json.WriteNumber("size", size);
        json.WriteString("sha256", sha256);
    }

    private static void WriteTexts(Utf8JsonWriter json, string name, ImmutableArray<string> texts)
    {
        json.WriteStartArray(name);
        foreach (var text in texts)
            json.WriteStringValue(text);
        json.WriteEndArray();
    }

    private static void WriteWord(Utf8JsonWriter json, string name, string text)
    {
        if (text is { Length: > 0 })
            json.WriteString(name, text);
    }

    private static string Time(DateTimeOffset time) => time.ToString("yyyy-MM-dd'T'HH:mm:sszzz", CultureInfo.InvariantCulture);

    /// <returns>Null: a record of a later form.</returns>
    /// <exception cref="FormatException">The line is none of a manifest.</exception>
    public static ManifestRecord? Read(ReadOnlySpan<byte> line)
    {
        try
        {
            var reader = new Utf8JsonReader(line);
            using var document = JsonDocument.ParseValue(ref reader);
            return Read(new Members(document.RootElement));
        }
        catch (Exception e) when (e is JsonException or InvalidOperationException or KeyNotFoundException or OverflowException)
        {
            throw new FormatException("a line of the manifest is damaged", e);
        }
    }

    /// <summary>Of a record that has a file, just its path and its size.</summary>
    /// <exception cref="FormatException">It has none.</exception>
    public static (string Path, long Size) ReadFile(ReadOnlySpan<byte> line)
    {
        var json = new Utf8JsonReader(line);
        string? path = null;
        long? size = null;
        try
        {
            while ((path is null || size is null) && json.Read())
                if (json.CurrentDepth == 1 && json.TokenType is JsonTokenType.PropertyName)
                    if (json.ValueTextEquals("path"u8) && json.Read())
                        path = json.GetString();
                    else if (json.ValueTextEquals("size"u8) && json.Read())
                        size = json.GetInt64();
        }
        catch (Exception e) when (e is JsonException or InvalidOperationException or FormatException)
        {
            throw new FormatException("a line of the manifest is damaged", e);
        }
        return path is not null && size is { } octets ? (path, octets) : throw new FormatException("a line of the manifest is damaged");
    }

    private static ManifestRecord? Read(Members of) =>
        of.Text(Kind) switch
        {
            "parcel" => of.Text("form") == ManifestHeader.Form
                ? new ManifestHeader(
                    of.Element("parcel").GetGuid(),
                    of.Int("part"),
                    of.Int("packing"),
                    of.Element("complete").GetBoolean(),
                    of.Text("account"),
                    of.Text("service"),
                    of.Element("began").GetDateTimeOffset(),
                    of.Element("ended").GetDateTimeOffset(),
                    of.Texts("rules"),
                    of.TextOrNull("before"),
                    of.Int("tables")
                )
                {
                    By = of.TextOrNull("by"),
                }
                : throw new FormatException($"the manifest has the form '{of.Text("form")}', which is not known here"),
            "folder" => new FolderRecord(
                of.Int("id"),
                of.Names("names"),
                of.Path("place"),
                of.TextOrNull("use"),
                of.Element("subscribed").GetBoolean(),
                of.Number("epoch"),
                of.Number("next"),
                of.Element("mark").GetUInt64(),
                of.Number("count")
            ),
            "collection" => new CollectionRecord(
                of.Int("id"),
                CollectionKindOf(of.Text("kind")),
                of.Text("name"),
                of.Path("place"),
                of.Element("properties").EnumerateObject().ToImmutableSortedDictionary(p => p.Name, p => p.Value.GetString()!),
                of.Element("default").GetBoolean(),
                of.Element("mark").GetUInt64(),
                of.Number("count")
            ),
            "message" => new MessageRecord(
                of.Int("folder"),
                of.Number("number"),
                of.Path("path"),
                of.Size("size"),
                of.Digest("sha256"),
                of.Element("received").GetDateTimeOffset(),
                of.Texts("flags"),
                new MessageWords(
                    of.TextOrNull("from") ?? "",
                    of.TextOrNull("subject") ?? "",
                    of.TextOrNull("date") ?? "",
                    of.TextOrNull("message-id") ?? ""
                )
            ),
            "flags" => new FlagsRecord(of.Int("folder"), of.Number("number"), of.Texts("flags")),
            "moved" => new MovedRecord(of.Int("folder"), of.Number("number"), of.Int("to-folder"), of.Number("to-number")),
            "gone" => new GoneRecord(of.Int("folder"), of.Number("number")),
            "item" => new ItemRecord(
                of.Int("collection"),
                of.Text("name"),
                of.Path("path"),
                of.Size("size"),
                of.Digest("sha256"),
                of.TextOrNull("title") ?? ""
            ),
            "item-gone" => new ItemGoneRecord(of.Int("collection"), of.Text("name")),
            "removed" => new RemovedRecord(of.Int("id")),
            "end" => new EndRecord(
                of.Element("records").GetInt64(),
                s_kinds
                    .Where(k => of.Has(k.Word))
                    .ToImmutableSortedDictionary(
                        k => k.Kind,
                        k =>
                            new Members(of.Element(k.Word)) is var sum
                                ? new KindSum(sum.Size("items"), sum.Size("octets"), sum.Digest("contents"))
                                : null!
                    )
            ),
            _ => null,
        };

    private static MoveKind CollectionKindOf(string word) =>
        word == WordOf(MoveKind.Contacts) ? MoveKind.Contacts
        : word == WordOf(MoveKind.Calendars) ? MoveKind.Calendars
        : throw new FormatException($"'{word}' is no kind of collection");

    private readonly struct Members(JsonElement element)
    {
        public bool Has(string name) => element.TryGetProperty(name, out _);

        public JsonElement Element(string name) => element.GetProperty(name);

        public string Text(string name) => Element(name).GetString() ?? throw new FormatException($"'{name}' is missing in the manifest");

        public string? TextOrNull(string name) => element.TryGetProperty(name, out var value) ? value.GetString() : null;

        public int Int(string name) => Element(name).GetInt32() is >= 0 and var number ? number : throw Range(name);

        public uint Number(string name) => Element(name).GetUInt32();

        public long Size(string name) => Element(name).GetInt64() is >= 0 and var size ? size : throw Range(name);

        public string Digest(string name) =>
            Text(name) is { Length: 64 } text && text.All(char.IsAsciiHexDigitLower)
                ? Text(name)
                : throw new FormatException($"'{name}' is no digest");

        public string Path(string name) =>
            SafeName.IsSafePath(Text(name)) ? Text(name) : throw new FormatException("a path in the manifest leads out of the archive");

        public ImmutableArray<string> Texts(string name) =>
            [.. Element(name).EnumerateArray().Select(e => e.GetString() ?? throw new FormatException($"'{name}' holds no text"))];

        public ImmutableArray<string> Names(string name) =>
            Texts(name) is { Length: > 0 } names && names.All(n => n.Length > 0) ? names : throw Range(name);

        private static FormatException Range(string name) => new($"'{name}' is out of its range in the manifest");
    }
}
