namespace EasyCaravan.Parcels;

/// <summary>A parcel to look into, be it closed or just being packed.</summary>
public interface IParcelView : IDisposable
{
    /// <summary>Folders and collections; with their messages and items once those were loaded.</summary>
    ParcelState State { get; }

    /// <summary>Goes through all that was packed, once.</summary>
    void LoadItems();

    /// <summary>The octets of a message or an item. The caller compares their digest.</summary>
    /// <exception cref="ParcelException">It is not there, or damaged.</exception>
    Stream OpenItem(int part, ulong pathHash);
}
