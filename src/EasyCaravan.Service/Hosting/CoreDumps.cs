using System.Runtime.InteropServices;

namespace EasyCaravan.Service.Hosting;

/// <summary>A crash shall not leave the memory of the process on the disk: passwords stand in it.</summary>
internal static partial class CoreDumps
{
    private const int CoreResource = 4;

    /// <summary>
    /// A limit of one octet: less than any dump has, and the one value that Linux also heeds where dumps go to a program (core(5)).
    /// </summary>
    public static void SwitchOff()
    {
        var limit = new Limit { Soft = 1, Hard = 1 };
        if (OperatingSystem.IsLinux())
            _ = SetLimit(CoreResource, in limit);
    }

    [StructLayout(LayoutKind.Sequential)]
    private struct Limit
    {
        public nuint Soft;
        public nuint Hard;
    }

    [LibraryImport("libc", EntryPoint = "setrlimit")]
    private static partial int SetLimit(int resource, in Limit limit);
}
