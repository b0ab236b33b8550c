using System.CommandLine;
using EasyCaravan.Bench;

var messages = new Option<int>("--messages") { Description = "How many messages", DefaultValueFactory = _ => 20_000 };
var octets = new Option<int>("--octets") { Description = "Octets in each", DefaultValueFactory = _ => 36_000 };
var folders = new Option<int>("--folders") { Description = "Over how many folders they are spread", DefaultValueFactory = _ => 4 };
var rounds = new Option<int>("--rounds") { Description = "Counted rounds; one more warms up", DefaultValueFactory = _ => 5 };
var yardsticks = new Option<string>("--yardsticks") { Description = "Folder of rawcopy.c and naive.py", DefaultValueFactory = _ => "bench/yardsticks" };
var firstPass = new Command("first-pass", "A first pass between two Dovecots, against the raw ceiling and a plain script") { messages, octets, folders, rounds, yardsticks };
firstPass.SetAction(a => new FirstPass(a.GetValue(messages), a.GetValue(octets), a.GetValue(folders), a.GetValue(rounds), a.GetValue(yardsticks)!).RunAsync());
var accounts = new Option<int>("--accounts") { Description = "How many accounts", DefaultValueFactory = _ => 1_000 };
var each = new Option<int>("--messages") { Description = "How many messages in each", DefaultValueFactory = _ => 50 };
var survey = new Command("survey", "A survey of many accounts between two Dovecots, against a plain script") { accounts, each, rounds, yardsticks };
survey.SetAction(a => new SurveyMany(a.GetValue(accounts), a.GetValue(each), a.GetValue(rounds), a.GetValue(yardsticks)!).RunAsync());
return await new RootCommand("Benchmarks of Easy Caravan: ratios measured side by side in one run") { firstPass, survey }.Parse(args).InvokeAsync();
