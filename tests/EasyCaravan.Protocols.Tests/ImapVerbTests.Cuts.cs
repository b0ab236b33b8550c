using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Ports;

namespace EasyCaravan.Protocols.Tests;

/// <summary>Each conversation is cut after every octet of the server's answers.</summary>
public sealed partial class ImapVerbTests
{
    /// <summary>Talks that are cut after every octet of the server's answers; each verb once, as it runs in a pass.</summary>
    public static TheoryData<string, string, string[]> Talks =>
        new()
        {
            {
                "list",
                "LIST-EXTENDED LIST-STATUS",
                [
                    "T LIST \"\" \"*\" RETURN (SUBSCRIBED STATUS (MESSAGES UIDNEXT UIDVALIDITY))",
                    "* LIST () \"/\" INBOX\r\n* STATUS INBOX (MESSAGES 3 UIDNEXT 12 UIDVALIDITY 7)\r\n§ OK done\r\n",
                ]
            },
            {
                "changes",
                Everything + " QRESYNC",
                [
                    "T ENABLE QRESYNC",
                    "* ENABLED QRESYNC\r\n§ OK done\r\n",
                    "T EXAMINE \"INBOX\" (QRESYNC (7 98))",
                    "* 1 EXISTS\r\n* VANISHED (EARLIER) 3:4\r\n* 1 FETCH (UID 5 FLAGS (\\Seen))\r\n§ OK done\r\n",
                ]
            },
            {
                "read",
                Everything,
                [
                    "T EXAMINE \"INBOX\"",
                    "* 1 EXISTS\r\n§ OK done\r\n",
                    "T UID FETCH 5 (UID BODY.PEEK[])",
                    "* 1 FETCH (UID 5 BODY[] {3}\r\none)\r\n§ OK done\r\n",
                    "T EXAMINE \"Work\"",
                    "* 1 EXISTS\r\n§ OK done\r\n",
                    "T UID FETCH 5 (UID BODY.PEEK[])",
                    "* 1 FETCH (UID 5 BODY[] {3}\r\ntwo)\r\n§ OK done\r\n",
                ]
            },
            {
                "visit",
                Everything,
                [
                    "T SELECT \"INBOX\"",
                    "* 3 EXISTS\r\n§ OK [READ-WRITE] done\r\n",
                    "T UID STORE 5 +FLAGS.SILENT (\\Flagged)",
                    "§ OK done\r\n",
                    "T UID SEARCH RETURN (ALL) ALL",
                    "* ESEARCH (TAG \"§\") UID ALL 5:7\r\n§ OK done\r\n",
                ]
            },
            {
                "create",
                Everything,
                [
                    "T CREATE \"Work\"",
                    "§ OK done\r\n",
                    "T STATUS \"Work\" (MESSAGES UIDNEXT UIDVALIDITY HIGHESTMODSEQ)",
                    "* STATUS Work (MESSAGES 0 UIDNEXT 1 UIDVALIDITY 7 HIGHESTMODSEQ 1)\r\n§ OK done\r\n",
                    "T SUBSCRIBE \"Work\"",
                    "§ OK done\r\n",
                ]
            },
            {
                "append",
                Everything,
                ["T APPEND \"INBOX\" () \"30-Mar-2019 23:59:58 -0130\" {3+}", "", "raw one", "* 4 EXISTS\r\n§ OK [APPENDUID 7 40] done\r\n"]
            },
            {
                "append-waiting",
                "UIDPLUS",
                ["T APPEND \"INBOX\" () \"30-Mar-2019 23:59:58 -0130\" {3}", "+ go on\r\n", "raw one", "§ OK [APPENDUID 7 40] done\r\n"]
            },
            {
                "move",
                Everything + " MOVE",
                [
                    "T SELECT \"INBOX\"",
                    "* 3 EXISTS\r\n§ OK [READ-WRITE] done\r\n",
                    "T UID MOVE 5 \"Work\"",
                    "* OK [COPYUID 9 5 31] moved\r\n* 1 EXPUNGE\r\n§ OK done\r\n",
                ]
            },
            {
                "flags",
                Everything,
                [
                    "T SELECT \"INBOX\"",
                    "* 3 EXISTS\r\n§ OK [READ-WRITE] done\r\n",
                    "T UID STORE 5 +FLAGS.SILENT (\\Flagged)",
                    "* 1 FETCH (UID 5 FLAGS ())\r\n§ OK done\r\n",
                ]
            },
        };

    [Theory]
    [MemberData(nameof(Talks))]
    public async Task Cut_at_any_octet_of_any_talk_it_is_a_lost_connection_and_whole_or_in_pieces_it_is_none(
        string verb,
        string capabilities,
        string[] talk
    )
    {
        var steps = talk.Chunk(2).Select(s => (s[0], s[1])).ToList();
        foreach (var pieces in Enum.GetValues<Pieces>())
        {
            await using var whole = new ScriptedServer(capabilities, pieces, steps);
            await using var account = await whole.SignInAsync();
            await RunAsync(verb, account);
            Assert.Empty(await EndAsync(account, whole));
        }
        for (var cut = 0; cut < steps.Sum(s => s.Item2.Length); cut++)
        {
            await using var server = new ScriptedServer(capabilities, Pieces.Whole, steps, cut);
            await using var account = await server.SignInAsync();
            var fault = await Assert.ThrowsAsync<FaultException>(() => RunAsync(verb, account));
            Assert.Equal((Cause.ConnectionLost, Verdict.Close), (fault.Fault.Cause, fault.Verdict));
        }
    }

    private static async Task RunAsync(string verb, IMailAccount account)
    {
        switch (verb)
        {
            case "read":
                await ReadAllAsync(
                    await account.ReadMessagesAsync(
                        [(FolderPath.Inbox, new NumberSet([5])), (FolderPath.Of("Work"), new NumberSet([5]))],
                        CancellationToken.None
                    )
                );
                break;
            case "visit":
                await account.VisitAsync(
                    [
                        new FolderVisit(FolderPath.Inbox, List: true)
                        {
                            Flags = [new FlagChange(new NumberSet([5]), FlagSet.Parse("\\Flagged"), FlagSet.Empty)],
                        },
                    ],
                    CancellationToken.None
                );
                break;
            case "create":
                await account.CreateFoldersAsync([new NewFolder(FolderPath.Of("Work"), SpecialUse.None, true)], CancellationToken.None);
                break;
            case "list":
                await account.ListFoldersAsync(CancellationToken.None);
                break;
            case "changes":
                await account.ReadChangesAsync(
                    [new ChangeQuery(FolderPath.Inbox, new FolderCursor(7, 12, 98, 6), new FolderCursor(7, 12, 120, 1))],
                    CancellationToken.None
                );
                break;
            case "move":
                await account.MoveMessagesAsync(FolderPath.Inbox, new NumberSet([5]), FolderPath.Parse("Work"), CancellationToken.None);
                break;
            case "flags":
                await account.ChangeFlagsAsync(
                    FolderPath.Inbox,
                    new NumberSet([5]),
                    FlagSet.Parse("\\Flagged"),
                    FlagSet.Empty,
                    CancellationToken.None
                );
                break;
            default:
                var writer = await account.AddMessagesAsync([FolderPath.Inbox], 100, CancellationToken.None);
                await SendAsync(writer, 1, "one", "");
                await writer.FinishAsync(CancellationToken.None);
                break;
        }
    }
}
