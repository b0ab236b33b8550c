using System.CommandLine;
using EasyCaravan.Bench;

var messages = new Option<int>("--messages") { Description = "How many messages", DefaultValueFactory = _ => 12_000 };
var octets = new Option<int>("--octets") { Description = "Octets in each", DefaultValueFactory = _ => 36_000 };
var folders = new Option<int>("--folders") { Description = "Over how many folders they are spread", DefaultValueFactory = _ => 4 };
var rounds = new Option<int>("--rounds") { Description = "Counted rounds; one more warms up", DefaultValueFactory = _ => 5 };
rounds.Validators.Add(r =>
{
    if (r.GetValueOrDefault<int>() < 1)
        r.AddError("--rounds: a median needs a round at least.");
});
var delay = new Option<double>("--delay") { Description = "Milliseconds of a round trip to either server" };
var without = new Option<string[]>("--without")
{
    Description = "Capabilities that the to side shall not have: MULTIAPPEND, LITERAL+",
    AllowMultipleArgumentsPerToken = true,
};
var moves = new Option<int[]>("--moves")
{
    Description = "Moves at once, besides one",
    AllowMultipleArgumentsPerToken = true,
    DefaultValueFactory = _ => [4, 16],
};
var yardsticks = new Option<string>("--yardsticks")
{
    Description = "Folder of the yardsticks",
    DefaultValueFactory = _ => "bench/yardsticks",
};
var firstPass = new Command("first-pass", "A first pass between two Dovecots, against the raw ceiling and a plain script")
{
    messages,
    octets,
    folders,
    rounds,
    delay,
    without,
    moves,
    yardsticks,
};
firstPass.SetAction(a =>
    new FirstPass(
        a.GetValue(messages),
        a.GetValue(octets),
        a.GetValue(folders),
        a.GetValue(rounds),
        a.GetValue(delay),
        a.GetValue(without) ?? [],
        [1, .. a.GetValue(moves)!],
        a.GetValue(yardsticks)!
    ).RunAsync()
);

var held = new Option<int>("--messages") { Description = "How many messages", DefaultValueFactory = _ => 50_000 };
var over = new Option<int>("--folders") { Description = "Over how many folders they are spread", DefaultValueFactory = _ => 200 };
var laterPass = new Command("later-pass", "Passes over what did not change, what changed a little, and onto a side that holds everything")
{
    held,
    over,
    rounds,
    delay,
    yardsticks,
};
laterPass.SetAction(a =>
    new LaterPass(a.GetValue(held), a.GetValue(over), a.GetValue(rounds), a.GetValue(delay), a.GetValue(yardsticks)!).RunAsync()
);

var small = new Option<int>("--accounts") { Description = "How many small mailboxes", DefaultValueFactory = _ => 500 };
var manyAndLarge = new Command("many-and-large", "Many small mailboxes, and eight messages of 50 MB at once") { small, rounds, yardsticks };
manyAndLarge.SetAction(a => new ManyAndLarge(a.GetValue(small), a.GetValue(rounds), a.GetValue(yardsticks)!).RunAsync());

var accounts = new Option<int>("--accounts") { Description = "How many accounts", DefaultValueFactory = _ => 1_000 };
var each = new Option<int>("--messages") { Description = "How many messages in each", DefaultValueFactory = _ => 50 };
var survey = new Command("survey", "A survey of many accounts between two Dovecots, against a plain script")
{
    accounts,
    each,
    rounds,
    yardsticks,
};
survey.SetAction(a => new SurveyMany(a.GetValue(accounts), a.GetValue(each), a.GetValue(rounds), a.GetValue(yardsticks)!).RunAsync());

var metMessages = new Option<int>("--messages") { Description = "How many messages", DefaultValueFactory = _ => 8_000 };
var metOctets = new Option<int>("--octets") { Description = "Octets in each", DefaultValueFactory = _ => 22_000 };
var metFolders = new Option<int>("--folders") { Description = "Over how many folders they are spread", DefaultValueFactory = _ => 70 };
var caravan = new Option<string>("--caravan") { Description = "The command that a user runs", DefaultValueFactory = _ => "./caravan" };
var throughClient = new Command(
    "through-client",
    "A first pass as a user meets it: the real service, cold and warm, started and awaited by the client"
)
{
    metMessages,
    metOctets,
    metFolders,
    rounds,
    caravan,
    yardsticks,
};
throughClient.SetAction(a =>
    new ThroughClient(
        a.GetValue(metMessages),
        a.GetValue(metOctets),
        a.GetValue(metFolders),
        a.GetValue(rounds),
        a.GetValue(caravan)!,
        a.GetValue(yardsticks)!
    ).RunAsync()
);

var bothSides = new Command("both-sides", "Both sides read anew and compared, against a raw fetch of both")
{
    messages,
    octets,
    folders,
    rounds,
    delay,
    yardsticks,
};
bothSides.SetAction(a =>
    new BothSides(
        a.GetValue(messages),
        a.GetValue(octets),
        a.GetValue(folders),
        a.GetValue(rounds),
        a.GetValue(delay),
        a.GetValue(yardsticks)!
    ).RunAsync()
);

var people = new Option<int>("--people") { Description = "How many people", DefaultValueFactory = _ => 50_000 };
var batches = new Option<int>("--batches") { Description = "In how many batches", DefaultValueFactory = _ => 40 };
var manyPeople = new Command("many-people", "A plan of very many people: applying it, and the boards afterwards")
{
    people,
    batches,
    rounds,
    caravan,
};
manyPeople.SetAction(a => new ManyPeople(a.GetValue(people), a.GetValue(batches), a.GetValue(rounds), a.GetValue(caravan)!).RunAsync());

var makes = new[] { "radicale", "xandikos", "cyrus" };
var fromMake = new Option<string>("--from") { Description = "Server on the from side", DefaultValueFactory = _ => "radicale" };
fromMake.AcceptOnlyFromAmong(makes);
var toMake = new Option<string>("--to") { Description = "Server on the to side", DefaultValueFactory = _ => "cyrus" };
toMake.AcceptOnlyFromAmong(makes);
var calendars = new Option<bool>("--calendars") { Description = "Events instead of contacts" };
var items = new Option<int>("--items") { Description = "How many", DefaultValueFactory = _ => 500 };
var side = new Option<int>("--at-once") { Description = "So many moves at once afterwards, of which the memory is told" };
var collections = new Command("collections", "Contacts or events between two servers, against bare PUTs and a plain script")
{
    fromMake,
    toMake,
    calendars,
    items,
    rounds,
    side,
};
collections.SetAction(a =>
    new CollectionsPass(
        a.GetValue(fromMake)!,
        a.GetValue(toMake)!,
        a.GetValue(calendars) ? EasyCaravan.Core.Planning.Kind.Calendars : EasyCaravan.Core.Planning.Kind.Contacts,
        a.GetValue(items),
        a.GetValue(rounds),
        a.GetValue(side)
    ).RunAsync()
);

var parcels = new Command("parcels", "Packing against a raw fetch to disk, and opening against a first pass from a server")
{
    messages,
    octets,
    folders,
    rounds,
    yardsticks,
};
parcels.SetAction(a =>
    new ParcelPass(a.GetValue(messages), a.GetValue(octets), a.GetValue(folders), a.GetValue(rounds), a.GetValue(yardsticks)!).RunAsync()
);

var fromPort = new Option<int>("--from-port");
var toPort = new Option<int>("--to-port");
var warmFromPort = new Option<int>("--warm-from-port");
var warmToPort = new Option<int>("--warm-to-port");
var store = new Option<string>("--store");
var lanes = new Option<int>("--lanes");
var atOnce = new Option<int>("--at-once");
var compare = new Option<bool>("--compare");
var pack = new Option<string?>("--pack");
var open = new Option<string?>("--open");
var servers = new Option<int[]>("--servers") { AllowMultipleArgumentsPerToken = true };
var pairs = new Option<string[]>("--accounts") { AllowMultipleArgumentsPerToken = true };
var carry = new Command("carry", "One run of the others, in a process of its own")
{
    fromPort,
    toPort,
    warmFromPort,
    warmToPort,
    store,
    lanes,
    atOnce,
    compare,
    pack,
    open,
    servers,
    pairs,
};
carry.Hidden = true;
carry.SetAction(a =>
    Carry.RunAsync(
        a.GetValue(fromPort),
        a.GetValue(toPort),
        (a.GetValue(warmFromPort), a.GetValue(warmToPort)),
        a.GetValue(store)!,
        a.GetValue(lanes),
        a.GetValue(atOnce),
        a.GetValue(compare),
        new ParcelSides(a.GetValue(pack), a.GetValue(open)),
        a.GetValue(servers)!,
        a.GetValue(pairs)!
    )
);

return await new RootCommand("Benchmarks of Easy Caravan: ratios measured side by side in one run")
{
    firstPass,
    laterPass,
    manyAndLarge,
    survey,
    throughClient,
    bothSides,
    manyPeople,
    collections,
    parcels,
    carry,
}
    .Parse(args)
    .InvokeAsync();
