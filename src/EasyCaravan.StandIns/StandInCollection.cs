using System.Security.Cryptography;
using System.Text;
using System.Xml.Linq;

namespace EasyCaravan.StandIns;

/// <summary>A contact or event as a stand-in keeps it.</summary>
/// <param name="Change">Of the collection, with which it came to be as it is.</param>
public sealed record StandInItem(byte[] Octets, int Change)
{
    public string Tag { get; } = $"\"{Convert.ToHexStringLower(SHA256.HashData(Octets))[..16]}\"";

    public string Text => Encoding.UTF8.GetString(Octets);
}

/// <summary>An address book or a calendar of a stand-in. Every use is under the account's lock.</summary>
public sealed class StandInCollection(string name, bool isCalendar)
{
    /// <summary>The last part of its path.</summary>
    public string Name { get; } = name;

    public bool IsCalendar { get; } = isCalendar;

    /// <summary>What was set about it, by the property's name.</summary>
    public Dictionary<XName, XElement> Properties { get; } = [];

    public Dictionary<string, StandInItem> Items { get; } = new(StringComparer.Ordinal);

    /// <summary>Names of items that are gone, and with which change they went.</summary>
    public Dictionary<string, int> Gone { get; } = new(StringComparer.Ordinal);

    public int Change { get; private set; } = 1;

    public StandInItem Put(string item, byte[] octets)
    {
        Gone.Remove(item);
        return Items[item] = new StandInItem(octets, ++Change);
    }

    public StandInItem Put(string item, string text) => Put(item, Encoding.UTF8.GetBytes(text));

    public bool Remove(string item)
    {
        if (!Items.Remove(item))
            return false;
        Gone[item] = ++Change;
        return true;
    }
}

/// <summary>The address books and calendars of one account of a stand-in.</summary>
public sealed class StandInDavAccount(string login, string password)
{
    public string Login { get; } = login;

    public string Password { get; set; } = password;

    public Lock Lock { get; } = new();

    public List<StandInCollection> Collections { get; } = [];

    public StandInCollection? Find(bool isCalendar, string name) =>
        Collections.FirstOrDefault(c => c.IsCalendar == isCalendar && c.Name == name);

    public StandInCollection Make(bool isCalendar, string name, string title)
    {
        var made = new StandInCollection(name, isCalendar);
        made.Properties[DavWords.Dav + "displayname"] = new XElement(DavWords.Dav + "displayname", title);
        Collections.Add(made);
        return made;
    }
}

/// <summary>How a stand-in for contacts and calendars behaves.</summary>
public sealed record StandInDavManners
{
    /// <summary>Loses the photos of contacts, as some services do, and says that all is well.</summary>
    public bool DropsPhotos { get; init; }

    /// <summary>Of what is set about a collection it keeps the name alone, and says that all is well.</summary>
    public bool KeepsOnlyNames { get; init; }

    /// <summary>An account may have a UID once, over all its collections of a kind.</summary>
    public bool TakesUidOnce { get; init; }

    /// <summary>What it said about states before means nothing to it any more.</summary>
    public bool ForgetsTokens { get; init; }

    /// <summary>Answers 503, and to come back after so many seconds; null: it is open.</summary>
    public int? BusyFor { get; init; }

    /// <summary>Before each answer, so that a demonstration can be watched.</summary>
    public TimeSpan Pause { get; init; }

    /// <summary>Takes access tokens of this server, and no passwords.</summary>
    public StandInOAuth? Tokens { get; init; }

    /// <summary>What a token must permit.</summary>
    public string Scope { get; init; } = "mail";
}

internal static class DavWords
{
    public static readonly XNamespace Dav = "DAV:";
    public static readonly XNamespace CalDav = "urn:ietf:params:xml:ns:caldav";
    public static readonly XNamespace CardDav = "urn:ietf:params:xml:ns:carddav";
    public static readonly XNamespace CalendarServer = "http://calendarserver.org/ns/";
}
