using System.Text;
using EasyCaravan.Core.Planning;

namespace EasyCaravan.Core.Tests;

public sealed class RosterTests
{
    private static (IReadOnlyList<RosterPerson> People, List<PlanError> Errors) Read(string text, string file = "r.csv")
    {
        var errors = new List<PlanError>();
        return (Roster.Read(file, text, errors), errors);
    }

    [Fact]
    public void Columns_stand_in_any_order_with_semicolons_quotes_and_a_byte_order_mark()
    {
        var (people, errors) = Read(
            "\uFEFFto_account;note;name;from_account\r\na@new.example;\"says \"\"ahoy\"\"; often\";\"Marsh; Aoife\";a@old.example\r\n"
        );
        Assert.Empty(errors);
        Assert.Equal(
            ("Marsh; Aoife", "a@old.example", "a@new.example", "says \"ahoy\"; often"),
            (people[0].Name, people[0].FromAccount, people[0].ToAccount, people[0].Note)
        );
    }

    [Fact]
    public void Every_error_is_told_with_its_line()
    {
        var (_, errors) = Read(
            "name,from_account,to_account,to_under,from_secret_ref\nA,,a@b,,\nB,b@b,b@b,x//y,\nC,c@b,c@b,,env:HOME\n"
                + "D,d@b,d@b,,,,too,many\nE,e@b,e@b,/,file:e.txt\n"
        );
        Assert.Equal([2, 3, 4, 5], errors.Select(e => e.Line));
        Assert.Contains("CARAVAN_SECRET_", errors[2].Allowed, StringComparison.Ordinal);
    }

    [Theory]
    [InlineData("env:CARAVAN_SECRET_A", true)]
    [InlineData("env:PATH", false)]
    [InlineData("file:aoife.txt", true)]
    [InlineData("file:../admin.token", false)]
    [InlineData("file:..", false)]
    [InlineData("secret", false)]
    public void A_reference_leads_nowhere_but_to_secrets(string text, bool sound) =>
        Assert.Equal(sound, SecretReference.Parse(text) is not null);

    [Fact]
    public void Fifty_thousand_lines_are_read()
    {
        var text = new StringBuilder("name,from_account,to_account\n");
        for (var i = 0; i < 50_000; i++)
            text.Append("P,p").Append(i).Append("@old.example,p").Append(i).Append("@new.example\n");
        var plan =
            $"services: {{a: {{mail: {{speaks: imap, host: a.example}} }}, b: {{mail: {{speaks: imap, host: b.example}} }} }}\n"
            + $"routes: {{r: {{from: a, to: b}} }}\nbatches: {{x: {{route: r, roster: x.csv}} }}";
        var (read, errors) = PlanFile.Read(new PlanBundle("p", plan, new Dictionary<string, string> { ["x.csv"] = text.ToString() }));
        Assert.Empty(errors);
        Assert.Equal(50_000, read!.Batches[0].People.Length);
    }

    [Fact]
    public void A_directory_export_is_read_folded_encoded_and_commented()
    {
        var (people, errors) = Read(
            "version: 1\n# people\ndn: uid=aoife,dc=saltmarsh,dc=example\ncn: Aoife\n  Marsh\nmail: aoife@saltmarsh.example\n"
                + "to_account: aoife@northquay.example\n\ndn: uid=rory,dc=x\nname:: UsOzcnkgRHVubW9yZQ==\nmail: rory@saltmarsh.example\n"
                + "from_secret: s3cret\n",
            "people.ldif"
        );
        Assert.Empty(errors);
        Assert.Equal(("Aoife Marsh", "aoife@northquay.example"), (people[0].Name, people[0].ToAccount));
        Assert.Equal(
            ("Róry Dunmore", "rory@saltmarsh.example", "s3cret", 9),
            (people[1].Name, people[1].ToAccount, people[1].FromSecret, people[1].Line)
        );
    }

    [Theory]
    [InlineData("dn: a\nchangetype: delete\n", "change record", 2)]
    [InlineData("dn: a\ncn:< file:///etc/passwd\n", "stands elsewhere", 2)]
    [InlineData("cn: a\nmail: b\n", "does not begin with 'dn:'", 1)]
    [InlineData("dn: a\ncn:: !!\n", "not base64", 2)]
    [InlineData("dn: a\ncn: A\n", "from_account is empty", 1)]
    [InlineData("", "names nobody", 1)]
    public void What_is_no_directory_export_is_told_with_its_line(string text, string what, int line)
    {
        var (_, errors) = Read(text, "people.ldif");
        Assert.Contains(errors, e => e.What.Contains(what, StringComparison.Ordinal) && e.Line == line);
    }

    [Theory]
    [InlineData("", "", "already receives the mail")]
    [InlineData(", shared-to-accounts: true", "", "would land above, below or in the folder")]
    [InlineData(", shared-to-accounts: true, under: \"Old mail\"", "", "would land above")]
    [InlineData(", shared-to-accounts: true, under: \"Old mail/{name}\"", "", null)]
    [InlineData(", shared-to-accounts: true, under: \"Old mail/{name}\"", "Old mail", "would land above")]
    public void Two_people_share_an_account_only_where_the_plan_says_so_and_each_below_a_folder_of_their_own(
        string route,
        string under,
        string? error
    )
    {
        var plan =
            $"services: {{a: {{mail: {{speaks: imap, host: a.example}} }}, b: {{mail: {{speaks: imap, host: b.example}} }} }}\n"
            + $"routes: {{r: {{from: a, to: b{route}}} }}\nbatches: {{x: {{route: r, roster: x.csv}} }}";
        var (_, errors) = PlanFile.Read(
            new PlanBundle(
                "p",
                plan,
                new Dictionary<string, string> { ["x.csv"] = $"name,from_account,to_account,to_under\nA,a@a,x@b,\nB,b@a,x@b,{under}\n" }
            )
        );
        Assert.Equal(error is null, errors.Length == 0);
        if (error is not null)
            Assert.Contains(error, errors[0].What, StringComparison.Ordinal);
    }
}
