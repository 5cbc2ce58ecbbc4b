using System.Buffers.Binary;
using System.Security.Cryptography;
using System.Text;
using Microsoft.Extensions.FileProviders;

namespace Crumpet.Web.Hosting;

/// <summary>Styles, scripts and fonts, under an address that changes with what they hold: browsers fetch each once and never ask again.</summary>
internal sealed class ClientFiles
{
    private readonly string _folder;

    /// <summary>Reads every file once for its hash; a file changed later is served when the program starts again.</summary>
    public ClientFiles(string folder)
    {
        _folder = folder;
        using var hash = IncrementalHash.CreateHash(HashAlgorithmName.SHA256);
        foreach (string file in Directory.EnumerateFiles(folder, "*", SearchOption.AllDirectories).Order(StringComparer.Ordinal))
        {
            Add(hash, Encoding.UTF8.GetBytes(Path.GetRelativePath(folder, file)));
            Add(hash, File.ReadAllBytes(file));
        }
        Root = $"/client/{Convert.ToHexStringLower(hash.GetHashAndReset())[..16]}";
    }

    /// <summary>Address of the folder, without a slash at its end.</summary>
    public string Root { get; }

    /// <summary>Address of a file by its path below wwwroot, as <c>js/page.js</c>.</summary>
    public string At(string path) => $"{Root}/{path}";

    /// <summary>How the files are served.</summary>
    public StaticFileOptions Serving() => new()
    {
        FileProvider = new PhysicalFileProvider(_folder),
        RequestPath = Root,
        OnPrepareResponse = c => c.Context.Response.Headers.CacheControl = "public, max-age=31536000, immutable",
    };

    private static void Add(IncrementalHash hash, byte[] bytes)
    {
        Span<byte> length = stackalloc byte[sizeof(long)];
        BinaryPrimitives.WriteInt64LittleEndian(length, bytes.LongLength);
        hash.AppendData(length);
        hash.AppendData(bytes);
    }
}
