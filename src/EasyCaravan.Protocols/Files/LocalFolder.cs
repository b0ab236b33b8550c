using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;

namespace EasyCaravan.Protocols.Files;

/// <summary>A folder of mail that lies in files of this machine.</summary>
internal abstract class LocalFolder
{
    public abstract FolderPath Path { get; }

    public virtual SpecialUse Use => SpecialUse.None;

    public virtual bool IsSubscribed => true;

    public abstract FolderCursor Cursor { get; }

    /// <summary>Why nothing in it can be read; null: it can.</summary>
    public virtual Fault? Refused => null;

    /// <summary>All messages in the order of their numbers.</summary>
    public abstract IEnumerable<ItemInfo> Items();

    /// <summary>Null: it is not there.</summary>
    public abstract ItemInfo? Find(uint number);

    /// <summary>The octets of a message that is there.</summary>
    public abstract LocalMessage Open(uint number);
}

/// <summary>A message as it lies in a file.</summary>
/// <param name="Octets">As many as the index tells.</param>
/// <param name="IsSound">Tells of all its octets together whether they are those that were stored; null: nobody can tell.</param>
internal readonly record struct LocalMessage(Stream Octets, Func<byte[], bool>? IsSound);
