using EasyCaravan.Core.Planning;

namespace EasyCaravan.Service;

/// <summary>The kinds in the words of plan, API and journal.</summary>
internal static class KindWords
{
    public static string Of(Kind kind) => kind switch
    {
        Kind.Mail => "mail",
        Kind.Contacts => "contacts",
        Kind.Calendars => "calendars",
    };
}
