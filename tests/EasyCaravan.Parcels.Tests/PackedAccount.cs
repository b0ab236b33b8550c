using System.Collections.Immutable;
using System.Security.Cryptography;
using System.Text;
using EasyCaravan.Contract;
using EasyCaravan.Parcels.Manifest;
using Microsoft.Extensions.Time.Testing;

namespace EasyCaravan.Parcels.Tests;

/// <summary>A folder of its own with parcels of a made-up account.</summary>
internal sealed class PackedAccount : IDisposable
{
    public const string Name = "aoife.marsh@saltmarsh.example 2026-11-30";

    public PackedAccount(string? password = null, long? partSize = null)
    {
        Terms = new PackingTerms("aoife.marsh@saltmarsh.example", "lanternpost", ["Trash: left where it is"], password, partSize)
        {
            Seal = manifest => ParcelSeal.Make(Key, manifest),
        };
    }

    public ECDsa Key { get; } = ECDsa.Create(ECCurve.NamedCurves.nistP256);

    public string Folder { get; } = Directory.CreateTempSubdirectory("parcels").FullName;

    public PackingTerms Terms { get; }

    public FakeTimeProvider Time { get; } = new(new DateTimeOffset(2026, 11, 30, 8, 0, 0, TimeSpan.Zero));

    public string Part(int number = 1) => Path.Combine(Folder, ParcelName.OfPart(Name, number));

    public ParcelPacker Open() => ParcelPacker.Open(Folder, Name, Terms, Time);

    public static byte[] Text(int n, int size = 200) =>
        Encoding.UTF8.GetBytes(
            $"Message-ID: <{n}@saltmarsh.example>\r\nSubject: Crossing {n}\r\n\r\n{new string((char)('a' + (n % 26)), size)}\r\n"
        );

    public static uint Add(ParcelPacker packer, PackedFolder folder, byte[] octets, int n, params string[] flags)
    {
        var received = new DateTimeOffset(2026, 3, 1, 9, 0, 0, TimeSpan.FromHours(1)).AddHours(n);
        var number = packer.BeginMessage(folder, octets.Length, received);
        packer.Write(octets);
        packer.EndMessage(
            folder,
            number,
            received,
            [.. flags],
            new MessageWords("desk@saltmarsh.example", $"Crossing {n}", "", $"{n}@saltmarsh.example")
        );
        return number;
    }

    /// <summary>Two folders with four messages, a contact and an event.</summary>
    public void PackSome()
    {
        using var packer = Open();
        var inbox = packer.AddFolder(["INBOX"], null, true);
        var projects = packer.AddFolder(["Projects", "Ferry: /new\\ <2026>"], null, false);
        for (var n = 0; n < 3; n++)
            Add(packer, inbox, Text(n), n, "\\Seen");
        Add(packer, projects, Text(3, 0), 3, "\\Flagged", "Work");
        var book = packer.AddCollection(
            MoveKind.Contacts,
            "card",
            ImmutableSortedDictionary<string, string>.Empty.Add(CollectionWords.Title, "Family"),
            true
        );
        packer.PutItem(book, "a.vcf", "BEGIN:VCARD\r\nVERSION:3.0\r\nFN:Orla Fenwick\r\nEND:VCARD\r\n"u8);
        packer.Save();
        packer.CloseRun();
    }

    public void Dispose() => Directory.Delete(Folder, recursive: true);
}
