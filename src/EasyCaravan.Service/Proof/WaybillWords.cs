using System.Globalization;
using EasyCaravan.Contract;
using EasyCaravan.Core.Planning;
using EasyCaravan.Core.Proving;
using NodaTime;

namespace EasyCaravan.Service.Proof;

/// <summary>Numbers, times and sentences of a printed waybill.</summary>
public sealed class WaybillWords(DateTimeZone zone)
{
    public static string Number(long number) => number.ToString("N0", CultureInfo.InvariantCulture);

    public static string Size(long octets) => new ByteCount(octets).ToString();

    /// <summary>With its zone, so that nobody has to guess.</summary>
    public string Time(DateTimeOffset? time) =>
        time is not { } at ? "–" : Instant.FromDateTimeOffset(at).InZone(zone).ToString("uuuu-MM-dd HH:mm x", CultureInfo.InvariantCulture);

    public static string Comparison(ComparisonView comparison)
    {
        var differ = comparison.Differing == 0 ? "none differs" : $"{Number(comparison.Differing)} differ";
        if (comparison.Share >= 1)
            return $"All {Number(comparison.Compared)} items that landed were read on both sides and compared: {differ}.";
        var most = SampleBound.AtMost(comparison.Compared, comparison.Differing);
        return string.Create(
            CultureInfo.InvariantCulture,
            $"A sample of {comparison.Share:0.##%} of the items that landed, {Number(comparison.Compared)} of them, was read on both sides "
                + $"and compared: {differ}. With a confidence of {SampleBound.Confidence:0%}, at most {most:0.###%} of all differ."
        );
    }

    public string Probe(CrossingView crossing, ProbeWayWord way) =>
        crossing.Probes.FirstOrDefault(p => p.Way == way) switch
        {
            null => "–",
            { ArrivedAt: { } at, State: ProbeWord.Arrived } probe => string.Create(
                CultureInfo.InvariantCulture,
                $"{Time(probe.PlannedAt)}, arrived in {(at - probe.PlannedAt).TotalSeconds:0.0} s"
            ),
            { } probe => $"{Time(probe.PlannedAt)}, {KebabWord.Of(probe.State)}",
        };
}
