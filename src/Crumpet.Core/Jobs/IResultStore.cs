using System.Security.Cryptography;

namespace Crumpet.Core.Jobs;

/// <summary>Where results and big data are kept, by content. Safe from many threads.</summary>
public interface IResultStore
{
    /// <summary>The result of this key, or null where it is not here or any of its data is missing.</summary>
    JobResult? Find(string key);

    /// <summary>Keeps a result; its data must be here already.</summary>
    void Save(JobResult result);

    /// <summary>Keeps bytes and gives their SHA-256, lower-case hexadecimal.</summary>
    string Put(byte[] bytes);

    /// <summary>The bytes with this hash.</summary>
    /// <exception cref="FileNotFoundException">They are not here.</exception>
    byte[] Load(string sha256);

    /// <summary>Opens the bytes with this hash for reading; the stream can seek.</summary>
    /// <exception cref="FileNotFoundException">They are not here.</exception>
    Stream Open(string sha256);

    /// <summary>What was kept under a name that says nothing of its content, or null.</summary>
    /// <param name="name">A hash, as <see cref="NoteName"/> makes it.</param>
    byte[]? FindNote(string name);

    /// <summary>Keeps bytes under a name, in place of what was there.</summary>
    void KeepNote(string name, byte[] bytes);

    /// <summary>The name a note is kept under.</summary>
    /// <param name="what">What it is about, in words that never change.</param>
    static string NoteName(string what) => System.Convert.ToHexStringLower(SHA256.HashData(System.Text.Encoding.UTF8.GetBytes(what)));
}

/// <summary>Reads what lies by itself, and what is a piece of something larger.</summary>
public static class StoredFiles
{
    /// <summary>The bytes of a file.</summary>
    /// <exception cref="FileNotFoundException">They are not here.</exception>
    public static byte[] Load(this IResultStore store, StoredFile file)
    {
        if (file.Within is not { } whole)
            return store.Load(file.Sha256);
        using var stream = store.Open(whole);
        stream.Position = file.Offset;
        var bytes = new byte[file.Bytes];
        stream.ReadExactly(bytes);
        return bytes;
    }
}
