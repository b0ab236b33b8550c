using System.Net;

namespace EasyCaravan.Service;

/// <summary><c>caravan serve</c>.</summary>
internal static class ServeCommand
{
    public static async Task<int> RunAsync(CaravanOptions options, CancellationToken cancel)
    {
        WebApplication app;
        try
        {
            app = await CaravanHost.BuildAsync(options, cancel);
        }
        catch (DataFolderException e)
        {
            await Console.Error.WriteLineAsync(e.Message);
            return 1;
        }
        await using (app)
        {
            try
            {
                await app.StartAsync(cancel);
            }
            catch (IOException e)
            {
                await Console.Error.WriteLineAsync(
                    $"Cannot listen on {options.Listen}: {e.Message.TrimEnd('.')}. Stop what listens there, or use another address with "
                        + "--listen."
                );
                return 1;
            }
            var address = CaravanHost.AddressOf(app);
            Console.WriteLine($"Easy Caravan listens on {address}");
            var token = Path.Combine(options.DataFolder, CaravanHost.TokenFile);
            Console.WriteLine($"Console: {options.PublicUrl ?? address}  (sign in with the token in {token})");
            var isHere = address.IsLoopback || (IPAddress.TryParse(address.Host.Trim('[', ']'), out var ip) && IPAddress.IsLoopback(ip));
            if (!isHere && options.PublicUrl is null)
                Console.WriteLine("It answers under its addresses alone. For the name that people use, start it with --public-url.");
            if (!isHere && address.Scheme != Uri.UriSchemeHttps)
                Console.WriteLine(
                    "It can be reached from other machines: put a TLS proxy in front, tokens and passwords travel over this address."
                );
            await app.WaitForShutdownAsync(cancel);
            return 0;
        }
    }
}
