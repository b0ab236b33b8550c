using System.Text;
using EasyCaravan.Core.Planning;
using EasyCaravan.Tests.Shared;

namespace EasyCaravan.Core.Tests;

/// <summary>Whatever a file holds, what is wrong with it is told with its place, and no reader ends in an exception or never.</summary>
public sealed class HostileFilesTests
{
    [Fact]
    public Task A_roster_is_read_or_refused_with_the_line() => Fuzz.RunAsync("roster", octets => ReadRoster("people.csv", octets));

    [Fact]
    public Task An_LDIF_file_is_read_or_refused_with_the_line() => Fuzz.RunAsync("ldif", octets => ReadRoster("people.ldif", octets));

    [Fact]
    public Task A_plan_is_read_or_refused_with_the_line() => Fuzz.RunAsync("plan", octets =>
        {
            var text = Encoding.UTF8.GetString(octets);
            var files = new Dictionary<string, string>
            {
                ["people.csv"] = "name,from_account,to_account,from_secret,to_secret\nA,a@x.example,a@y.example,s,s\n",
            };
            var (plan, errors) = PlanFile.Read(new PlanBundle("plan.yaml", text, files));
            Assert.NotEqual(plan is null, errors.IsEmpty);
            AssertPlaces(errors, text);
        });

    private static void ReadRoster(string file, byte[] octets)
    {
        var text = Encoding.UTF8.GetString(octets);
        var errors = new List<PlanError>();
        var people = Roster.Read(file, text, errors);
        Assert.True(people.Length > 0 || errors.Count > 0);
        AssertPlaces(errors, text);
        foreach (var person in people)
            Assert.True(person is { Name.Length: > 0, FromAccount.Length: > 0, ToAccount.Length: > 0 });
    }

    private static void AssertPlaces(IEnumerable<PlanError> errors, string text)
    {
        // A carriage return alone ends a line too, in YAML and in CSV.
        var lines = 1 + text.Count(c => c is '\n' or '\r' or '\u0085' or '\u2028' or '\u2029');
        foreach (var error in errors)
        {
            Assert.InRange(error.Line, 1, lines + 1);
            Assert.False(string.IsNullOrWhiteSpace(error.What) || string.IsNullOrWhiteSpace(error.Allowed));
        }
    }
}
