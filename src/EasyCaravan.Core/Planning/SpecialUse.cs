namespace EasyCaravan.Core.Planning;

/// <summary>What a folder is for, as its server says (RFC 6154 §2).</summary>
public enum SpecialUse
{
    None,
    All,
    Archive,
    Drafts,
    Flagged,
    Junk,
    Sent,
    Trash,
}
