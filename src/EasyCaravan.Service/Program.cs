using System.CommandLine;
using System.CommandLine.Help;
using System.CommandLine.Parsing;
using System.Net;
using EasyCaravan.Service;
using EasyCaravan.Service.Demo;
using EasyCaravan.Service.Hosting;

PrivateProcess.Begin();

var data = new Option<string>("--data") { Description = "Folder for everything the service keeps", Required = true };
var listen = ListenOption();
var store = new Option<string>("--store")
{
    Description = "sqlite: the embedded store in the data folder",
    DefaultValueFactory = _ => "sqlite",
};
store.AcceptOnlyFromAmong("sqlite");
var movesAtOnce = new Option<int>("--moves-at-once") { Description = "Moves that run side by side, 1 to 64", DefaultValueFactory = _ => 8 };
movesAtOnce.Validators.Add(v =>
{
    if (v.GetValueOrDefault<int>() is < 1 or > 64)
        v.AddError("--moves-at-once takes a number from 1 to 64");
});
var files = new Option<string?>("--files")
{
    Description = "The folder below which plans may name places of parcels and of old mail; by default 'files' in the data folder",
};
var publicUrl = new Option<Uri?>("--public-url")
{
    Description = "Where people reach the service, such as https://move.example.org: the address of a proxy before it",
    CustomParser = ReadPublicUrl,
};
var trustedProxies = new Option<IPNetwork[]>("--trusted-proxy")
{
    Description = "A proxy whose X-Forwarded-For and X-Forwarded-Proto are believed: an address, or a network such as 10.2.0.0/16",
    AllowMultipleArgumentsPerToken = true,
    CustomParser = ReadProxies,
};
var certificate = new Option<string?>("--certificate")
{
    Description = "With --listen https://…: the PEM file of the service's certificate and of those that signed it",
};
var certificateKey = new Option<string?>("--certificate-key")
{
    Description = "The PEM file of the certificate's key, readable by the service's user alone; by default it is in --certificate",
};
var serve = new Command("serve", "Runs the service. Example: caravan serve --data /var/lib/caravan")
{
    data,
    listen,
    store,
    movesAtOnce,
    files,
    publicUrl,
    trustedProxies,
    certificate,
    certificateKey,
};
serve.Validators.Add(given =>
{
    var isTls = given.GetValue(listen)?.Scheme == Uri.UriSchemeHttps;
    if (isTls && given.GetValue(certificate) is null)
        given.AddError("--listen https://… needs --certificate FILE, and --certificate-key FILE where the key is not in the same file");
    else if (!isTls && given.GetValue(certificate) is not null)
        given.AddError("--certificate is for --listen https://…");
});
serve.SetAction(
    (a, cancel) =>
        ServeCommand.RunAsync(
            new CaravanOptions(a.GetValue(data)!, a.GetValue(listen)!, a.GetValue(movesAtOnce))
            {
                FilesFolder = a.GetValue(files),
                PublicUrl = a.GetValue(publicUrl),
                TrustedProxies = a.GetValue(trustedProxies) ?? [],
                Certificate = a.GetValue(certificate) is { } file ? (file, a.GetValue(certificateKey) ?? file) : null,
            },
            cancel
        )
);

var exitWhenDone = new Option<bool>("--exit-when-done") { Description = "End with a summary when everything that can arrive has arrived" };
var fast = new Option<bool>("--fast") { Description = "Without the pauses that make it watchable" };
var demoData = new Option<string?>("--data") { Description = "Keep the demonstration's data here; by default a temporary folder" };
var demoListen = ListenOption();
var demo = new Command("demo", "Shows a move of an invented company between two simulated services. Example: caravan demo")
{
    exitWhenDone,
    fast,
    demoData,
    demoListen,
};
demo.SetAction(
    (a, cancel) =>
        DemoCommand.RunAsync(
            new DemoOptions(a.GetValue(exitWhenDone), a.GetValue(fast), a.GetValue(demoData), a.GetValue(demoListen)!),
            cancel
        )
);

// Named as people call it: the script at the root hands these two commands on.
var parsed = new Command("caravan", "The Easy Caravan service") { serve, demo, new HelpOption() }.Parse(args);
var code = await parsed.InvokeAsync(new InvocationConfiguration { ProcessTerminationTimeout = null });
return parsed.Errors.Count > 0 ? 2 : code;

static Option<Uri> ListenOption() =>
    new("--listen")
    {
        Description = "Where to listen; port 0 takes any that is free",
        DefaultValueFactory = _ => new Uri("http://127.0.0.1:8470"),
        CustomParser = given =>
        {
            if (Uri.TryCreate(given.Tokens[0].Value, UriKind.Absolute, out var address) && address!.Scheme is "http" or "https")
                return address;
            given.AddError($"--listen takes an address such as http://127.0.0.1:8470, not '{given.Tokens[0].Value}'");
            return null;
        },
    };

static Uri? ReadPublicUrl(ArgumentResult given)
{
    if (
        Uri.TryCreate(given.Tokens[0].Value, UriKind.Absolute, out var address)
        && address is { Scheme: "http" or "https", AbsolutePath: "/", Query: "", UserInfo: "" }
    )
        return address;
    given.AddError($"--public-url takes an address without a path, such as https://move.example.org, not '{given.Tokens[0].Value}'");
    return null;
}

static IPNetwork[] ReadProxies(ArgumentResult given)
{
    var networks = new List<IPNetwork>();
    foreach (var token in given.Tokens)
        if (IPNetwork.TryParse(token.Value, out var network))
            networks.Add(network);
        else if (IPAddress.TryParse(token.Value, out var address))
            networks.Add(new IPNetwork(address, address.GetAddressBytes().Length * 8));
        else
            given.AddError($"--trusted-proxy takes an address or a network such as 10.2.0.0/16, not '{token.Value}'");
    return [.. networks];
}
