using System.Security.Cryptography;
using System.Text;

namespace Germinal.Service.Members;

/// <summary>What is kept of a key that somebody else holds: who reads the table can use none of them.</summary>
public static class KeyMark
{
    /// <summary>SHA-256 in hex. Keys are long and drawn by chance, so no salt and no slow hash is needed.</summary>
    public static string Of(string key) => Convert.ToHexStringLower(SHA256.HashData(Encoding.UTF8.GetBytes(key)));
}
