namespace EasyCaravan.Contract;

/// <summary>A file with contacts or events that was handed over.</summary>
/// <param name="Name">Its path below the plan's folder.</param>
/// <param name="Length">Octets.</param>
/// <param name="Digest">SHA-256 of its octets, in hexadecimal.</param>
/// <param name="ReceivedAt">When it was handed over.</param>
public sealed record ItemFileView(string Name, long Length, string Digest, DateTimeOffset ReceivedAt)
{
    /// <summary>Octets of a file that is handed over. Larger ones are no address book and no calendar.</summary>
    public const int Largest = 64 * 1024 * 1024;
}

/// <summary>What a column of a spreadsheet holds.</summary>
/// <param name="Header">As it is written above it; <c>column 1</c> and so on where the file has no header.</param>
/// <param name="Holds">A word such as <c>email</c>, <c>phone-mobile</c> or <c>street-home</c>; <c>note</c>: text that goes into the
/// note.</param>
/// <param name="Said">By whom: guess, plan or choice.</param>
/// <param name="Examples">Up to three of its values.</param>
public sealed record ColumnView(string Header, string Holds, string Said, IReadOnlyList<string> Examples);

/// <summary>A line that cannot be read.</summary>
/// <param name="Line">1-based.</param>
/// <param name="What">What is wrong with it.</param>
public sealed record FileLineProblem(int Line, string What);

/// <summary>How a file is read.</summary>
/// <param name="Name">Its path below the plan's folder.</param>
/// <param name="Format">csv, vcard or icalendar.</param>
/// <param name="Service">The service of the plan whose file it is; null: none names it.</param>
/// <param name="Items">Contacts or events that are read from it.</param>
/// <param name="Joined">Contacts that stand on several lines.</param>
/// <param name="Encoding">Of the text of a spreadsheet; null: it is none.</param>
/// <param name="Separator">What stands between its fields; null: it is no spreadsheet.</param>
/// <param name="HasHeader">Its first line names the columns.</param>
/// <param name="Columns">Of a spreadsheet.</param>
/// <param name="Words">What a column may hold.</param>
/// <param name="Problems">Lines that cannot be read, the first hundred.</param>
public sealed record FileReading(
    string Name,
    string Format,
    string? Service,
    int Items,
    int Joined,
    string? Encoding,
    string? Separator,
    bool HasHeader,
    IReadOnlyList<ColumnView> Columns,
    IReadOnlyList<string> Words,
    IReadOnlyList<FileLineProblem> Problems
);

/// <summary>What somebody chose for columns.</summary>
/// <param name="Columns">The word for what a column holds, by its header. Those that are not named are as the plan says, or
/// guessed.</param>
public sealed record ColumnChoice(IReadOnlyDictionary<string, string> Columns);
