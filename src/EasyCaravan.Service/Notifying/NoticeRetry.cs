namespace EasyCaravan.Service.Notifying;

/// <summary>When a notice is tried again.</summary>
internal static class NoticeRetry
{
    /// <summary>The last is more than a day after the first.</summary>
    private const int MostTries = 14;

    /// <summary>Half a minute after the first try, then twice as long each time, up to three hours; null: that was long enough.</summary>
    public static DateTimeOffset? Next(int attempts, DateTimeOffset now) =>
        attempts < MostTries ? now + TimeSpan.FromSeconds(Math.Min(10_800, 30 * Math.Pow(2, attempts - 1))) : null;
}
