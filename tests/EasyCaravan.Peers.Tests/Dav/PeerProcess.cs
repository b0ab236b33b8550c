using System.Diagnostics;
using System.Net;
using System.Net.Sockets;

namespace EasyCaravan.Peers.Dav;

/// <summary>Starts a server's program, waits for its port, and ends it.</summary>
internal static class PeerProcess
{
    private static readonly TimeSpan s_patience = TimeSpan.FromSeconds(30);

    public static Process Start(string command, string[] arguments, params (string Name, string Value)[] environment)
    {
        var info = new ProcessStartInfo(command, arguments) { RedirectStandardError = true, RedirectStandardOutput = true };
        foreach (var (name, value) in environment)
            info.Environment[name] = value;
        var process = Process.Start(info)!;
        // Read all the time: a server whose output nobody takes stands still.
        process.ErrorDataReceived += (_, _) => { };
        process.OutputDataReceived += (_, _) => { };
        process.BeginErrorReadLine();
        process.BeginOutputReadLine();
        return process;
    }

    public static async Task UntilListeningAsync(Process process, int port)
    {
        var patience = Stopwatch.StartNew();
        while (true)
        {
            try
            {
                using var client = new TcpClient();
                await client.ConnectAsync(IPAddress.Loopback, port);
                return;
            }
            catch (SocketException e)
            {
                if (process.HasExited || patience.Elapsed > s_patience)
                    throw new InvalidOperationException($"{process.StartInfo.FileName} did not start.", e);
            }
            await Task.Delay(20);
        }
    }

    public static async Task EndAsync(Process process)
    {
        process.Kill(entireProcessTree: true);
        await process.WaitForExitAsync();
        process.Dispose();
    }
}
