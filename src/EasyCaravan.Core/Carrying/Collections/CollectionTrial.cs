using System.Text;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;

namespace EasyCaravan.Core.Carrying.Collections;

/// <summary>
/// Finds out whether an account may be written to: makes an address book or calendar with one item in it, and deletes both.
/// </summary>
public static class CollectionTrial
{
    private const string Uid = "caravan-write-test";

    /// <summary>What came of it, in words.</summary>
    /// <exception cref="FaultException">It may not be written to.</exception>
    public static async Task<string> WriteAsync(ICollectionAccount account, CancellationToken cancel)
    {
        var name = $"caravan-try-{Guid.NewGuid():N}"[..20];
        var made = await account.MakeAsync(name, new CollectionProperties("Write test, may be deleted"), cancel);
        try
        {
            var item = made.Href.Item($"{Uid}{(account.Kind is Kind.Contacts ? ".vcf" : ".ics")}");
            var octets = Encoding.UTF8.GetBytes(account.Kind is Kind.Contacts ? Contact : Event);
            var write = await account.AddAsync(item, octets, cancel);
            if (write is ItemWrite.Refused refused)
                throw new FaultException(refused.Fault with { Cause = Cause.NotPermitted }, Verdict.Keep);
            var likeness = ItemLikeness.Damaged;
            await account.ReadItemsAsync(
                made,
                [item],
                (there, _) =>
                {
                    likeness = ItemComparison.Of(ItemForm.Of(octets), ItemForm.Of(there.Octets)).Likeness;
                    return ValueTask.CompletedTask;
                },
                new Dictionary<Href, Fault>(),
                cancel
            );
            return likeness switch
            {
                ItemLikeness.Same => "an item was written, read back the same, and deleted",
                ItemLikeness.Reshaped => "an item was written, read back in another form that says the same, and deleted",
                _ => "an item was written, but did not come back as it was; it was deleted",
            };
        }
        finally
        {
            // Also after a fault: nothing of ours stays.
            await account.RemoveCollectionAsync(made.Href, CancellationToken.None);
        }
    }

    private const string Contact =
        $"BEGIN:VCARD\r\nVERSION:3.0\r\nPRODID:-//Easy Caravan//EN\r\nUID:{Uid}\r\nFN:Write test\r\nN:Test;Write;;;\r\nEND:VCARD\r\n";

    private const string Event =
        "BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:-//Easy Caravan//EN\r\nBEGIN:VEVENT\r\n"
        + $"UID:{Uid}\r\nDTSTAMP:20260101T000000Z\r\nDTSTART:20260101T000000Z\r\nDTEND:20260101T010000Z\r\nSUMMARY:Write test\r\n"
        + "END:VEVENT\r\nEND:VCALENDAR\r\n";
}
