using EasyCaravan.Core.Ports;

namespace EasyCaravan.Protocols.Files.Mail;

/// <summary>A message with its place in a file.</summary>
/// <param name="Name">By which it keeps its number.</param>
internal sealed record FiledMessage(MailEntry Entry, Source Source, MessageForm Form, FlagSet Flags, string Name);
