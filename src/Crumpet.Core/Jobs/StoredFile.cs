namespace Crumpet.Core.Jobs;

/// <summary>Bytes in the store, under the name a job gives them.</summary>
/// <param name="Name">What they are to the job that made or takes them.</param>
/// <param name="Sha256">Of the bytes, lower-case hexadecimal.</param>
/// <param name="Bytes">How many there are.</param>
public sealed record StoredFile(string Name, string Sha256, long Bytes)
{
    /// <summary>SHA-256 of the larger data these bytes are a piece of; null where the store has them by themselves.</summary>
    public string? Within { get; init; }

    /// <summary>Where in <see cref="Within"/> they begin.</summary>
    public long Offset { get; init; }
}
