using System.Collections.Immutable;
using EasyCaravan.Core.Planning;

namespace EasyCaravan.Core.Formats.Csv;

/// <summary>What a column of a list of contacts holds.</summary>
public enum ContactField
{
    /// <summary>Nothing that is carried.</summary>
    Leave,

    /// <summary>The whole name.</summary>
    Name,
    Given,
    Middle,
    Family,
    Prefix,
    Suffix,
    Nickname,
    Organisation,
    Department,
    JobTitle,
    Email,
    Phone,
    Street,
    City,
    Region,
    Postcode,
    Country,
    Website,
    Birthday,

    /// <summary>Text that goes into the note, with the column's name before it.</summary>
    Note,

    /// <summary>Groups that the contact belongs to.</summary>
    Groups,
    Uid,

    /// <summary>Whether the address or number beside it is of home or work.</summary>
    Type,
}

/// <summary>Where one is reached.</summary>
public enum ContactPlace
{
    Any,
    Home,
    Work,
    Mobile,
    Fax,
}

/// <summary>What a column holds, and of which place. As a word: <c>email</c>, <c>phone-mobile</c>, <c>street-home</c>.</summary>
public readonly record struct ColumnUse(ContactField Field, ContactPlace Place = ContactPlace.Any)
{
    private static readonly ContactField[] s_address =
    [
        ContactField.Street,
        ContactField.City,
        ContactField.Region,
        ContactField.Postcode,
        ContactField.Country,
    ];

    public static ImmutableArray<ColumnUse> All { get; } = [.. Enum.GetValues<ContactField>().SelectMany(PlacesOf)];

    public bool IsAddress => s_address.Contains(Field);

    public static ColumnUse? Parse(string word) => All.Where(u => u.ToString() == word).Select(u => (ColumnUse?)u).FirstOrDefault();

    public override string ToString() => Place is ContactPlace.Any ? KebabWord.Of(Field) : $"{KebabWord.Of(Field)}-{KebabWord.Of(Place)}";

    private static IEnumerable<ColumnUse> PlacesOf(ContactField field)
    {
        yield return new ColumnUse(field);
        if (field is ContactField.Email or ContactField.Phone || s_address.Contains(field))
        {
            yield return new ColumnUse(field, ContactPlace.Home);
            yield return new ColumnUse(field, ContactPlace.Work);
        }
        if (field is ContactField.Phone)
        {
            yield return new ColumnUse(field, ContactPlace.Mobile);
            yield return new ColumnUse(field, ContactPlace.Fax);
        }
    }
}
