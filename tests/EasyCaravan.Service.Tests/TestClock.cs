using EasyCaravan.Service;
using Microsoft.Extensions.Time.Testing;

namespace EasyCaravan.Testing;

/// <summary>A clock for a service that stands still until the test moves it, so that nobody waits for hours to pass.</summary>
internal sealed class TestClock(DateTimeOffset start) : FakeTimeProvider(start)
{
    /// <summary>Starts a service that goes by this clock.</summary>
    public Task<TestService> StartServiceAsync(Func<CaravanOptions, CaravanOptions>? options = null) =>
        TestService.StartAsync(options: o => (options?.Invoke(o) ?? o) with { Time = this });

    /// <summary>Lets time pass in steps of one second until the condition holds.</summary>
    public Task PassUntilAsync(Func<Task<bool>> condition) =>
        TestService.UntilAsync(async () =>
        {
            if (await condition())
                return true;
            Advance(TimeSpan.FromSeconds(1));
            return false;
        });
}
