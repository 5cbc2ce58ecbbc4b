using System.Security.Cryptography;
using System.Text;

namespace Crumpet.Core.Jobs;

/// <summary>
/// The smallest piece of work with a result of its own, as plain data: whoever has it and the store can work it. Its key is made of what
/// it is worked from and of nothing else, so that the same work is never done twice.
/// </summary>
/// <param name="Kind">Name of its <see cref="JobKind"/>.</param>
/// <param name="Version">Version of the kind.</param>
/// <param name="Settings">What the kind is told, as canonical JSON.</param>
/// <param name="Inputs">What it takes, by role, in a fixed order.</param>
public sealed record Job(string Kind, int Version, string Settings, IReadOnlyList<StoredFile> Inputs)
{
    /// <summary>SHA-256 over kind, version, settings and the contents of the inputs, lower-case hexadecimal.</summary>
    public string Key { get; } = KeyOf(Kind, Version, Settings, Inputs);

    private static string KeyOf(string kind, int version, string settings, IReadOnlyList<StoredFile> inputs)
    {
        using var hash = IncrementalHash.CreateHash(HashAlgorithmName.SHA256);
        Append(kind);
        Append(version.ToString(System.Globalization.CultureInfo.InvariantCulture));
        Append(settings);
        foreach (var input in inputs)
        {
            Append(input.Name);
            Append(input.Sha256);
        }
        return System.Convert.ToHexStringLower(hash.GetHashAndReset());

        // What ends one field can be in none.
        void Append(string text)
        {
            hash.AppendData(Encoding.UTF8.GetBytes(text));
            hash.AppendData([0]);
        }
    }
}
