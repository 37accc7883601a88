using System.Buffers.Text;
using System.Text;

namespace Germinal.Web.Hosting;

/// <summary>A place in a list: the sort value and the id of the last row seen. Lists page by key, never by offset.</summary>
public sealed record PageKey(string Value, Guid Id)
{
    /// <summary>The key as text for an address.</summary>
    public override string ToString() => Base64Url.EncodeToString(Encoding.UTF8.GetBytes($"{Id:N}{Value}"));

    /// <summary>Reads a key; null for none or a broken one.</summary>
    public static PageKey? TryRead(string? text)
    {
        if (string.IsNullOrEmpty(text) || !Base64Url.IsValid(text))
        {
            return null;
        }

        var plain = Encoding.UTF8.GetString(Base64Url.DecodeFromChars(text));
        return plain.Length >= 32 && Guid.TryParseExact(plain[..32], "N", out var id) ? new PageKey(plain[32..], id) : null;
    }
}

/// <summary>A page of rows and the key of the next; null when this is the last.</summary>
public sealed record Page<T>(IReadOnlyList<T> Rows, string? Next);
