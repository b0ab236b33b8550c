namespace EasyCaravan.StandIns;

/// <summary>A message as a stand-in keeps it.</summary>
public sealed record StandInMessage(uint Uid, byte[] Octets, DateTimeOffset Received)
{
    /// <summary>In the order in which they were set.</summary>
    public IReadOnlyList<string> Flags { get; internal set; } = [];

    public ulong Mark { get; internal set; }
}

/// <summary>A folder of a stand-in. Every use is under the account's lock.</summary>
public sealed class StandInFolder(string name, string? use, uint epoch)
{
    /// <summary>As on the wire: modified UTF-7 with the service's separator.</summary>
    public string Name { get; internal set; } = name;

    /// <summary>Special use such as <c>\Sent</c>; or null.</summary>
    public string? Use { get; } = use;

    public uint Epoch { get; } = epoch;

    public bool Subscribed { get; set; } = true;

    public uint Next { get; private set; } = 1;

    public ulong Mark { get; private set; } = 1;

    public List<StandInMessage> Messages { get; } = [];

    public StandInMessage Add(byte[] octets, IReadOnlyList<string> flags, DateTimeOffset received)
    {
        var message = new StandInMessage(Next++, octets, received) { Flags = flags, Mark = ++Mark };
        Messages.Add(message);
        return message;
    }

    public void Remove(StandInMessage message)
    {
        Messages.Remove(message);
        Mark++;
    }

    public void SetFlags(StandInMessage message, IReadOnlyList<string> flags) => (message.Flags, message.Mark) = (flags, ++Mark);
}

/// <summary>Why an account does not let anybody in, though the password is right.</summary>
public enum StandInDoor
{
    Open,
    ProtocolOff,
    AppPasswordOnly,
    Locked,
}

/// <summary>One account of a stand-in.</summary>
public sealed class StandInAccount(string login, string password)
{
    private uint _epochs = 1_700_000_000;
    private readonly Dictionary<string, StandInFolder> _folders = new(StringComparer.Ordinal);

    public string Login { get; } = login;

    public string Password { get; set; } = password;

    /// <summary>Drops the connection once, after so many messages were given out or taken; null: never.</summary>
    public int? DropAfter { get; set; }

    public StandInDoor Door { get; set; }

    /// <summary>In octets; null: any.</summary>
    public long? Quota { get; set; }

    public long Used => _folders.Values.Sum(f => f.Messages.Sum(m => (long)m.Octets.Length));

    public Lock Lock { get; } = new();

    /// <summary>Names that differ only in case mean one folder.</summary>
    public bool IgnoresCase { get; set; }

    public IReadOnlyCollection<StandInFolder> Folders => _folders.Values;

    public StandInFolder? Find(string name) =>
        _folders.GetValueOrDefault(name.Equals("INBOX", StringComparison.OrdinalIgnoreCase) ? "INBOX" : name)
        ?? (IgnoresCase ? _folders.Values.FirstOrDefault(f => f.Name.Equals(name, StringComparison.OrdinalIgnoreCase)) : null);

    public bool Remove(string name) => _folders.Remove(name);

    public void Rename(string name, string now)
    {
        var folder = _folders[name];
        _folders.Remove(name);
        folder.Name = now;
        _folders.Add(now, folder);
    }

    public StandInFolder Make(string name, string? use = null)
    {
        var folder = new StandInFolder(name, use, _epochs++);
        _folders.Add(name, folder);
        return folder;
    }
}
