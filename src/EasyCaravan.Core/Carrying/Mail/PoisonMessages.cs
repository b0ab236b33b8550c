using System.Collections.Concurrent;
using EasyCaravan.Core.Pacing;

namespace EasyCaravan.Core.Carrying.Mail;

/// <summary>
/// Messages of one move over which connections ended. A server may break over the same message each time: unless it is named, all that
/// come after it wait for ever.
/// </summary>
public sealed class PoisonMessages
{
    /// <summary>
    /// A connection may be lost by chance, so that it has to happen often; an answer that makes no sense comes from the message.
    /// </summary>
    private const int OftenLost = 5,
        OftenSenseless = 2;

    private readonly ConcurrentDictionary<(long Page, uint Number), int> _accused = new();

    /// <summary>Whether it happened with this message so often that it is to be left behind.</summary>
    public bool Accuse(long page, uint number, Cause cause) =>
        cause switch
        {
            Cause.ConnectionLost or Cause.TimedOut => Count(page, number) >= OftenLost,
            Cause.ProtocolBroken => Count(page, number) >= OftenSenseless,
            _ => false,
        };

    public bool Knows(long page, uint number) => _accused.ContainsKey((page, number));

    private int Count(long page, uint number) => _accused.AddOrUpdate((page, number), 1, (_, times) => times + 1);
}
