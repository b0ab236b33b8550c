using System.Collections.Immutable;
using NodaTime;

namespace EasyCaravan.Core.Planning;

/// <summary>Days of the week as a plan writes them: <c>sat</c> or <c>mon-fri</c>; a range may reach over the week's end.</summary>
internal static class WeekDays
{
    private static readonly string[] s_names = ["mon", "tue", "wed", "thu", "fri", "sat", "sun"];

    /// <param name="text">Its form was checked before.</param>
    public static ImmutableArray<IsoDayOfWeek> Read(string text)
    {
        var ends = text.Split('-').Select(d => Array.IndexOf(s_names, d)).ToArray();
        var days = ImmutableArray.CreateBuilder<IsoDayOfWeek>();
        for (var day = ends[0]; ; day = (day + 1) % 7)
        {
            days.Add((IsoDayOfWeek)(day + 1));
            if (day == ends[^1])
                return days.ToImmutable();
        }
    }
}
