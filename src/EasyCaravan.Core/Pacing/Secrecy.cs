using System.Collections.Concurrent;
using System.Text;

namespace EasyCaravan.Core.Pacing;

/// <summary>
/// The secrets that are in use while something is done, so that no text about it repeats one: a server may send back what it was sent, in
/// an error too. They are known here as long as that lasts, and not longer.
/// </summary>
public sealed class Secrecy : IDisposable
{
    public const string Hidden = "(a secret)";

    /// <summary>A shorter one would be found in every other word; it is no secret either.</summary>
    private const int Shortest = 4;

    private static readonly AsyncLocal<Secrecy?> s_current = new();

    private readonly ConcurrentDictionary<string, byte> _forms = new();
    private readonly Secrecy? _around;

    private Secrecy(Secrecy? around) => _around = around;

    /// <summary>Begins it, for all that is called until it is disposed.</summary>
    public static Secrecy Begin() => s_current.Value = new Secrecy(s_current.Value);

    /// <summary>A secret was opened: hide it, also in the forms in which it goes over the wire.</summary>
    /// <param name="login">With which it is sent; null: by itself.</param>
    public static void Keep(string secret, string? login = null)
    {
        if (s_current.Value is not { } current || secret.Length < Shortest)
            return;
        current.Add(secret);
        current.Add(Uri.EscapeDataString(secret));
        current.Add(Convert.ToBase64String(Encoding.UTF8.GetBytes(secret)));
        if (login is null)
            return;
        // RFC 4616 §2 and RFC 7617 §2.
        current.Add(Convert.ToBase64String(Encoding.UTF8.GetBytes($"\0{login}\0{secret}")));
        current.Add(Convert.ToBase64String(Encoding.UTF8.GetBytes($"{login}:{secret}")));
    }

    /// <summary>A text without the secrets that are in use.</summary>
    public static string Hide(string text)
    {
        for (var current = s_current.Value; current is not null; current = current._around)
            // The longest first: one may be a part of another.
            foreach (var form in current._forms.Keys.OrderByDescending(f => f.Length))
                text = text.Replace(form, Hidden, StringComparison.Ordinal);
        return text;
    }

    private void Add(string form) => _forms[form] = 0;

    public void Dispose()
    {
        _forms.Clear();
        s_current.Value = _around;
    }
}
