namespace EasyCaravan.Core.Surveying;

/// <summary>What could not be told for certain of mail that lies in files.</summary>
/// <param name="What">In which file, as a sentence without a full stop.</param>
/// <param name="Messages">To how many it applies.</param>
public sealed record MailRemark(FindingCode Code, string What, long Messages);
