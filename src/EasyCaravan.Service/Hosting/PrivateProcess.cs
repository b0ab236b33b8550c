using System.Runtime.InteropServices;

namespace EasyCaravan.Service.Hosting;

/// <summary>
/// What the process leaves behind is for its own user: passwords stand in its memory, and the means to open them in its files.
/// </summary>
internal static partial class PrivateProcess
{
    private const int CoreResource = 4;

    /// <summary>
    /// Core dumps are limited to one octet: less than any dump has, and the one value that Linux also heeds where dumps go to a program
    /// (core(5)). New files are for their owner alone.
    /// </summary>
    public static void Begin()
    {
        var limit = new Limit { Soft = 1, Hard = 1 };
        if (!OperatingSystem.IsLinux())
            return;
        _ = SetLimit(CoreResource, in limit);
        _ = SetMask(0b000_111_111);
    }

    [StructLayout(LayoutKind.Sequential)]
    private struct Limit
    {
        public nuint Soft;
        public nuint Hard;
    }

    [LibraryImport("libc", EntryPoint = "setrlimit")]
    private static partial int SetLimit(int resource, in Limit limit);

    [LibraryImport("libc", EntryPoint = "umask")]
    private static partial uint SetMask(uint mask);
}
