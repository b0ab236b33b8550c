using System.Globalization;
using YamlDotNet.RepresentationModel;

namespace EasyCaravan.Core.Planning.Sections;

/// <summary>Reads <c>crossing:</c> of a batch, and <c>forwarding:</c> of a service.</summary>
internal static class CrossingSection
{
    public static CrossingPlan Read(YamlMappingNode batch) =>
        batch.Section("crossing") is not { } node
            ? CrossingPlan.Usual
            : new CrossingPlan(
                node.Text("keep-copy") != "false",
                node.Number("wave"),
                ShareOf(node, "stop-at") ?? CrossingPlan.Usual.StopAt,
                TimetableSection.LengthOf(node, "probe-within") ?? CrossingPlan.Usual.ProbeWithin,
                ShareOf(node, "compare") ?? CrossingPlan.Usual.Compares
            )
            {
                ForwardTo = node.Text("forward-to"),
                Answer = MessageOf(node, "answer"),
                Note = MessageOf(node, "note"),
            };

    private static AddressMessage? MessageOf(YamlMappingNode node, string key) =>
        node.Section(key) is { } message ? new AddressMessage(message.Text("subject")!, message.Text("text")!) : null;

    /// <summary>A share such as 2%; <c>all</c> is 1.</summary>
    private static double? ShareOf(YamlMappingNode node, string key) =>
        node.Text(key) is not { } text ? null
        : text == "all" ? 1
        : double.Parse(text.TrimEnd('%'), CultureInfo.InvariantCulture) / 100;

    public static ForwardingConfirmation? ReadConfirmation(YamlMappingNode service, PlanErrors errors) =>
        service.Section("forwarding")?.Section("confirms") is { } node
            ? new ForwardingConfirmation(
                node.Text("from"),
                node.Text("subject"),
                node.Text("code")!,
                TimetableSection.LengthOf(node, "within") ?? ForwardingConfirmation.UsualWithin
            )
            {
                HandBack = SignInSection.ReadUrl(node, "hand-back", errors),
            }
            : null;
}
