using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Planning;
using EasyCaravan.Parcels;

namespace EasyCaravan.Protocols.Parcels;

/// <summary>One account's parcel, opened for reading or for packing.</summary>
internal sealed class ParcelSession : IDisposable
{
    private readonly Service _service;
    private readonly ParcelUse? _use;
    private readonly ParcelFiles? _files;

    public ParcelSession(Service service, string account, string folder, ParcelUse use)
    {
        (_service, Account, Folder, _use) = (service, account, folder, use);
    }

    public ParcelSession(Service service, string account, string folder, ParcelFiles files)
    {
        (_service, Account, Folder, _files) = (service, account, folder, files);
    }

    public string Account { get; }

    public string Folder { get; }

    public IParcelView View => _use is null ? _files! : _use.Stay.Packer;

    /// <exception cref="InvalidOperationException">It is only read: a plan or an order is wrong.</exception>
    public ParcelPacker Packer => _use?.Stay.Packer ?? throw new InvalidOperationException("This parcel is only read.");

    /// <summary>Runs something that touches the parcel; what goes wrong with its files is a fault of the account.</summary>
    public T Do<T>(Func<T> work)
    {
        try
        {
            return work();
        }
        catch (Exception e) when (ParcelFaults.IsOne(e))
        {
            _use?.Stay.Drop();
            throw new FaultException(
                ParcelFaults.Of(e, Account, _service.Parcels!.Folder) with
                {
                    Service = _service.Name,
                },
                Verdict.Close,
                e
            );
        }
    }

    /// <summary>The same where several may want to at a time.</summary>
    public T DoAlone<T>(Func<T> work)
    {
        if (_use is null)
            return Do(work);
        lock (_use.Stay.Gate)
            return Do(work);
    }

    /// <summary>Ends once all that was packed before the call is on the disk.</summary>
    public async Task SaveSoonAsync()
    {
        try
        {
            await _use!.Stay.SaveSoonAsync();
        }
        catch (Exception e) when (ParcelFaults.IsOne(e))
        {
            DoAlone<bool>(() => throw e);
        }
    }

    public void Dispose()
    {
        _use?.Dispose();
        _files?.Dispose();
    }
}
