using System.Globalization;
using System.Security.Claims;

namespace EasyCaravan.Service.Access;

internal enum CallerKind
{
    Token,
    Session,
}

/// <summary>Who calls, as the store knows them.</summary>
internal readonly record struct Caller(CallerKind Kind, long Id)
{
    public const string Claim = "caller";

    public static Caller Of(ClaimsPrincipal user)
    {
        var parts = user.FindFirstValue(Claim)!.Split(' ');
        return new Caller(Enum.Parse<CallerKind>(parts[0]), long.Parse(parts[1], CultureInfo.InvariantCulture));
    }

    public override string ToString() => string.Create(CultureInfo.InvariantCulture, $"{Kind} {Id}");
}
