using EasyCaravan.Core.Planning;

namespace EasyCaravan.Core.Surveying;

/// <summary>The one place that says what each kind of finding means and what can be chosen about it.</summary>
public static class FindingRules
{
    private static readonly ResolutionOffer s_leaveFolder = new(
        Resolution.LeaveBehind,
        "Leave these folders behind; they are counted as excluded"
    );
    private static readonly ResolutionOffer s_under = new(
        Resolution.Under,
        "Put everything below a folder of its own on the new side",
        "a folder such as Old mail",
        "Old mail"
    );
    private static readonly ResolutionOffer s_since = new(
        Resolution.Since,
        "Carry only what was received since a day",
        "a day such as 2020-01-01"
    );
    private static readonly ResolutionOffer s_largest = new(
        Resolution.Largest,
        "Leave larger messages out by rule",
        "a size such as 25MB",
        "25MB"
    );
    private static readonly ResolutionOffer s_trash = new(Resolution.LeaveTrash, "Leave the trash behind");
    private static readonly ResolutionOffer s_junk = new(Resolution.LeaveJunk, "Leave the junk behind");
    private static readonly ResolutionOffer s_accept = new(Resolution.Accept, "It may be so");
    private static readonly ResolutionOffer s_withdraw = new(
        Resolution.Withdraw,
        "Take them off the batch; nothing is done on either side"
    );

    public static FindingRule Of(FindingCode code) =>
        code switch
        {
            FindingCode.AccountNotFound => new(
                Weight.Blocks,
                "Accounts that do not exist",
                "The move stops at the sign-in and needs you",
                s_withdraw
            ),
            FindingCode.CannotGetIn => new(
                Weight.Blocks,
                "Accounts at which the sign-in fails",
                "The move stops at the sign-in and needs you",
                s_withdraw
            ),
            FindingCode.MissingRight => new(
                Weight.Loses,
                "Rights that are missing on the new side",
                "What would land in these folders is left behind as a whole; everything else goes on",
                s_withdraw,
                s_accept
            ),
            FindingCode.NoRoom => new(
                Weight.Blocks,
                "Not enough room on the new side",
                "The move stops when the account is full and needs you",
                s_trash,
                s_junk,
                s_since,
                s_largest,
                s_accept
            ),
            FindingCode.MessageTooLarge => new(
                Weight.Loses,
                "Messages over the new side's limit",
                "They are left behind one by one, and each is listed",
                s_largest with
                {
                    Default = null,
                },
                s_accept
            ),
            FindingCode.KeywordsLost => new(
                Weight.Loses,
                "Keywords that the new side does not keep",
                "Messages arrive; what becomes of their keywords is up to the new side",
                new(Resolution.DropKeywords, "Carry messages without their keywords"),
                s_accept
            ),
            FindingCode.UnreadableFolder => new(
                Weight.Loses,
                "Folders that may not be read",
                "They are left behind as a whole, each by its name; everything else goes on",
                s_accept
            ),
            FindingCode.UnreadableMessages => new(
                Weight.Loses,
                "Messages that are listed and not told about",
                "They are left behind one by one, and each is listed",
                s_accept
            ),
            FindingCode.AltersMessages => new(
                Weight.Changes,
                "Messages that the new side does not keep as they are",
                "They stay as the new side keeps them; 'caravan differences' lists each, and there it can be accepted",
                s_accept
            ),
            FindingCode.UnreadableItems => new(
                Weight.Loses,
                "Contacts and events that cannot be read",
                "They are left behind one by one, and each is listed",
                s_accept
            ),
            FindingCode.SharedStay => new(
                Weight.Note,
                "Address books and calendars of others",
                "They stay behind, and their items count as excluded; 'shared: carry' under contacts: or calendars: in the route carries "
                    + "them as the person's own",
                s_accept
            ),
            FindingCode.UnclearDoubles => new(
                Weight.Changes,
                "Contacts and events that the new side may have already",
                "They are added beside what is there, or wait for you where both say different things; 'caravan preview' lists each",
                s_accept
            ),
            FindingCode.PropertiesLost => new(
                Weight.Changes,
                "Properties of address books and calendars that the new side does not keep",
                "Everything in them arrives; whoever misses one of these sets it on the new side by hand",
                s_accept
            ),
            FindingCode.InboxOnly => new(
                Weight.Loses,
                "Only the inbox can be seen",
                "Other folders and all read marks stay where they are; dates of receipt are those of the headers (1970 where they tell "
                    + "none)",
                s_withdraw,
                s_accept
            ),
            FindingCode.NoForwarding => new(
                Weight.Note,
                "Forwarding cannot be switched from here",
                "Somebody has to switch it by hand at the cutover, account by account",
                s_accept
            ),
            FindingCode.ReservedName => new(
                Weight.Changes,
                "Names that the new side keeps for itself",
                "The folder lands under its name with ' (old)' after it",
                new(Resolution.Suffix, "Put something else after the name", "text such as ' (old)'", " (old)"),
                s_leaveFolder,
                s_accept
            ),
            FindingCode.IllegalName => new(
                Weight.Changes,
                "Characters that the new side does not allow in names",
                "Each becomes an underscore",
                new(Resolution.Substitute, "Put something else in their place", "text such as -", "-"),
                s_leaveFolder,
                s_accept
            ),
            FindingCode.TooDeep => new(
                Weight.Changes,
                "Folders nested deeper than the new side goes",
                "The names that are too deep become one, with ' - ' between them",
                new(Resolution.Flatten, "Join them with something else", "text such as ' / '", " - "),
                s_leaveFolder,
                s_accept
            ),
            FindingCode.LongName => new(
                Weight.Changes,
                "Names that are too long for the new side",
                "They are cut",
                s_leaveFolder,
                s_accept
            ),
            FindingCode.NameClash => new(
                Weight.Changes,
                "Folders that the new side would take for one",
                "The second gets a number after its name",
                new(Resolution.Number, "Number them"),
                new(Resolution.Merge, "Make one folder of them"),
                s_accept
            ),
            FindingCode.MergedFolders => new(
                Weight.Note,
                "Folders that a rule brings together",
                "They become one folder; no message is lost",
                s_accept
            ),
            FindingCode.LabelsAsFolders => new(
                Weight.Changes,
                "An 'all mail' folder beside the others",
                "Only what stands in no other folder is carried from it; what stands in several others arrives in each of them",
                new(Resolution.OnceWithKeyword, "Carry each message once, with the names of its other folders as keywords"),
                new(Resolution.LeaveAll, "Leave it behind; what stands nowhere else stays with it"),
                s_accept
            ),
            FindingCode.ToNotEmpty => new(
                Weight.Note,
                "Accounts on the new side that hold mail already",
                "What is the same is recognised and not copied again; the rest is added to it",
                new(Resolution.Pair, "Recognise what is the same"),
                new(Resolution.KeepBoth, "Carry everything, also what is there already"),
                s_under,
                s_accept
            ),
            FindingCode.AlreadyForwards => new(
                Weight.Note,
                "Accounts that forward their mail already",
                "Nothing yet: at the cutover it is replaced, and can be restored",
                s_accept
            ),
            FindingCode.OwnRules => new(
                Weight.Loses,
                "Accounts with mail rules of their own",
                "They stay on the old side; on the new side their owner makes them anew, or mail arrives unsorted and unanswered",
                s_accept
            ),
            FindingCode.UnclearFile => new(
                Weight.Changes,
                "Files that can be read in more than one way",
                "They are read in the likeliest way; 'dialect' at the service in the plan says otherwise",
                s_accept
            ),
            FindingCode.DatesFromHeader => new(
                Weight.Note,
                "Messages whose file does not tell when they were received",
                "They get the date of the newest Received line in their header, else that of their sender, else that of the file",
                s_accept
            ),
            FindingCode.NothingMarked => new(
                Weight.Changes,
                "Files that do not tell what was read",
                "Everything in them arrives as unread; 'unmarked: read' at the service in the plan says otherwise",
                s_accept
            ),
            FindingCode.SamePerson => new(
                Weight.Note,
                "Accounts that look like the same person",
                "Each moves by itself",
                s_withdraw,
                s_accept
            ),
            FindingCode.WeakTls => new(
                Weight.Note,
                "Connections that others could read",
                "Passwords and mail can be seen on the way",
                s_accept
            ),
            FindingCode.FutureMail => new(
                Weight.Note,
                "Mail from the future",
                "It is carried with the date that it has; some services set such dates to now",
                s_accept
            ),
            FindingCode.Unused => new(
                Weight.Note,
                "Accounts without new mail for a year",
                "They move like the others",
                s_withdraw,
                s_accept
            ),
            FindingCode.NothingThere => new(
                Weight.Note,
                "Accounts without any mail",
                "There is nothing to carry: perhaps it is not the right account",
                s_withdraw,
                s_accept
            ),
            FindingCode.TidyTrash => new(Weight.Note, "Trash", "It is carried", s_trash),
            FindingCode.TidyJunk => new(Weight.Note, "Junk", "It is carried", s_junk),
            FindingCode.TidyOld => new(Weight.Note, "Old mail", "It is carried", s_since),
            FindingCode.TidyLarge => new(Weight.Note, "Large messages", "They are carried", s_largest),
        };

    /// <summary>Null when the decision can be made; otherwise what is wrong with it, and what is allowed.</summary>
    public static (string What, string Allowed)? Check(FindingCode code, Resolution way, string? value)
    {
        var offer = Of(code).Ways.FirstOrDefault(w => w.Way == way);
        if (offer is null)
            return (
                $"'{KebabWord.Of(way)}' is no way out of '{KebabWord.Of(code)}'",
                $"one of {string.Join(", ", Of(code).Ways.Select(w => KebabWord.Of(w.Way)))}"
            );
        if (offer.Value is null)
            return value is null ? null : ($"'{KebabWord.Of(way)}' takes no value", "leave it out");
        var sound = way switch
        {
            _ when string.IsNullOrEmpty(value) => false,
            Resolution.Since => NodaTime.Text.LocalDatePattern.Iso.Parse(value).Success,
            Resolution.Largest => ByteCount.TryParse(value, out var octets) && octets > ByteCount.Zero,
            Resolution.Under => FolderPath.TryParse(value, out var path) && !path!.IsInbox,
            _ => value.Length <= 20 && !value.Any(char.IsControl) && !value.Contains('/', StringComparison.Ordinal),
        };
        return sound ? null : ($"'{value}' is no value for '{KebabWord.Of(way)}'", offer.Value);
    }
}
