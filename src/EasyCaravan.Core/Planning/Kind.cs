namespace EasyCaravan.Core.Planning;

/// <summary>What is carried. Kept by number: new ones come last.</summary>
public enum Kind
{
    Mail,
    Contacts,

    /// <summary>With tasks and journals.</summary>
    Calendars,
}
