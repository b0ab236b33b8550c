using YamlDotNet.RepresentationModel;

namespace EasyCaravan.Core.Planning.Sections;

/// <summary>Reads <c>sending:</c> of a service or of the notices.</summary>
internal static class SendingSection
{
    public static SendingConnection? Read(YamlMappingNode owner)
    {
        if (owner.Section("sending") is not { } sending)
            return null;
        var security = SecurityOf(sending);
        // RFC 8314 §3.3, RFC 6409 §3.1, RFC 5321 §4.5.4.2.
        var port = sending.Number("port")
            ?? security switch
            {
                Security.Tls => 465,
                Security.StartTls => 587,
                _ => 25,
            };
        return new SendingConnection(sending.Text("host")!, port, security);
    }

    public static Security SecurityOf(YamlMappingNode node) =>
        node.Text("security") switch
        {
            "starttls" => Security.StartTls,
            "none" => Security.None,
            _ => Security.Tls,
        };
}
