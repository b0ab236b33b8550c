using System.Collections.Concurrent;
using System.Diagnostics;
using System.Net;
using System.Net.Sockets;
using System.Runtime.CompilerServices;

namespace EasyCaravan.Peers.Dav;

/// <summary>Starts a server's program, waits for its port, and ends it.</summary>
internal static class PeerProcess
{
    /// <summary>A server in Python that is read from a cold disk, beside others, has taken more than half a minute.</summary>
    private static readonly TimeSpan s_patience = TimeSpan.FromMinutes(2);

    private static readonly ConditionalWeakTable<Process, ConcurrentQueue<string>> s_said = [];

    public static Process Start(string command, string[] arguments, params (string Name, string Value)[] environment)
    {
        var info = new ProcessStartInfo(command, arguments) { RedirectStandardError = true, RedirectStandardOutput = true };
        foreach (var (name, value) in environment)
            info.Environment[name] = value;
        var process = Process.Start(info)!;
        // Read all the time: a server whose output nobody takes stands still.
        var said = s_said.GetOrCreateValue(process);
        process.ErrorDataReceived += (_, line) => Keep(said, line.Data);
        process.OutputDataReceived += (_, line) => Keep(said, line.Data);
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
                    throw new InvalidOperationException(
                        $"{process.StartInfo.FileName} {string.Join(' ', process.StartInfo.ArgumentList)} "
                            + (process.HasExited ? $"ended with {process.ExitCode}" : $"does not listen after {patience.Elapsed}")
                            + $", and said: {string.Join('\n', s_said.GetOrCreateValue(process))}",
                        e
                    );
            }
            await Task.Delay(20);
        }
    }

    /// <summary>The last lines tell why a server did not start.</summary>
    private static void Keep(ConcurrentQueue<string> said, string? line)
    {
        if (line is null)
            return;
        said.Enqueue(line);
        while (said.Count > 20)
            said.TryDequeue(out _);
    }

    public static async Task EndAsync(Process process)
    {
        process.Kill(entireProcessTree: true);
        await process.WaitForExitAsync();
        process.Dispose();
    }
}
