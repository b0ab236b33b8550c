using EasyCaravan.Parcels;

namespace EasyCaravan.Protocols.Parcels;

/// <summary>
/// A parcel that is packed, open for as long as a pass takes: its legs come one after the other and find it as the leg before left it.
/// </summary>
internal sealed class ParcelStay(Func<ParcelPacker> open) : IDisposable
{
    /// <summary>How long others may join before the disk is waited for.</summary>
    private static readonly TimeSpan s_gather = TimeSpan.FromMilliseconds(2);

    private ParcelPacker? _packer;
    private Task? _saving;

    /// <summary>Contacts and events are written several at a time: one at a time touches the parcel.</summary>
    public Lock Gate { get; } = new();

    /// <summary>How many use it; whoever is the last closes it.</summary>
    public int Users { get; set; }

    public ParcelPacker Packer => _packer ??= open();

    /// <summary>
    /// Ends once all that was packed before the call is on the disk. Those that wait for it together wait for the disk once.
    /// </summary>
    public Task SaveSoonAsync()
    {
        lock (Gate)
            return _saving ??= Task.Run(async () =>
            {
                await Task.Delay(s_gather);
                Task saved;
                lock (Gate)
                {
                    _saving = null;
                    saved = Packer.BeginSave();
                }
                await saved;
            });
    }

    /// <summary>After a fault nobody knows what is written: the next one takes the parcel up from the disk.</summary>
    public void Drop()
    {
        _packer?.Dispose();
        _packer = null;
    }

    public void Dispose() => Drop();
}
