using Germinal.Store;
using Microsoft.EntityFrameworkCore;

namespace Germinal.Service.Letters;

/// <summary>The addresses of the practice's own pictures, which bodies name them by.</summary>
public static class OwnPictures
{
    private const string Root = "/i/";

    /// <summary>What is said of an address that is none.</summary>
    public static string NoSuch => Said("There is no such picture. Bring it in again.");

    /// <summary>Where a picture is; null for none.</summary>
    public static string? AddressOf(Guid? picture) => picture is { } id ? Root + id : null;

    /// <summary>The picture of an address, where it is one of the practice's; null where it is not.</summary>
    public static async Task<Guid?> FindAsync(GerminalDb db, string address, CancellationToken stop) =>
        address.StartsWith(Root, StringComparison.Ordinal) && Guid.TryParse(address.AsSpan(Root.Length), out var id) && await db.Images.AnyAsync(i => i.Id == id, stop) ? id : null;
}
