using System.Buffers.Binary;
using System.Text;
using Crumpet.Core.Checking;

namespace Crumpet.Core.Geometry;

/// <summary>Packs a scene of Universal Scene Description and its pictures into one file: a zip of stored entries that begin at multiples of 64 bytes.</summary>
/// <remarks>Source: the published specification of USDZ; PKWARE APPNOTE 4.3.7, 4.3.12, 4.3.16.</remarks>
public static class UsdzFile
{
    private const int Alignment = 64, LocalHeader = 30, ExtraHeader = 4;
    private const uint LocalMagic = 0x04034b50, CentralMagic = 0x02014b50, EndMagic = 0x06054b50;
    private const ushort Version = 20, NamesAreUtf8 = 1 << 11, Filler = 0x1986;

    // The first day that zip can say, as all undated entries have.
    private const uint NoDate = 0x0021_0000;

    /// <summary>The bytes of a package.</summary>
    /// <param name="files">Paths with slashes, and contents; the first is the layer that is opened.</param>
    /// <exception cref="ArgumentException">All files together are larger than the format holds.</exception>
    public static byte[] Write(IReadOnlyList<(string Path, byte[] Bytes)> files)
    {
        if (files.Sum(f => (long)f.Bytes.Length + f.Path.Length * 6 + 256) > int.MaxValue)
            throw new ArgumentException("A package of more than 2 GiB cannot be written; make its textures smaller.", nameof(files));
        using var stream = new MemoryStream();
        using var central = new MemoryStream();
        foreach (var (path, bytes) in files)
        {
            byte[] name = Encoding.UTF8.GetBytes(path);
            var crc = default(Crc32);
            crc.Add(bytes);
            uint at = (uint)stream.Position;
            int begins = (int)at + LocalHeader + name.Length + ExtraHeader, extra = ExtraHeader + (Alignment - begins % Alignment) % Alignment;
            Put(stream, LocalMagic, 4);
            Fields(stream, crc.Value, bytes.Length, name.Length, extra);
            stream.Write(name);
            Put(stream, Filler, 2);
            Put(stream, (uint)(extra - ExtraHeader), 2);
            stream.Write(new byte[extra - ExtraHeader]);
            stream.Write(bytes);
            Put(central, CentralMagic, 4);
            Put(central, Version, 2);
            Fields(central, crc.Value, bytes.Length, name.Length, 0);
            // No comment, first disk, no attributes.
            central.Write(new byte[10]);
            Put(central, at, 4);
            central.Write(name);
        }
        uint directory = (uint)stream.Position;
        central.WriteTo(stream);
        Put(stream, EndMagic, 4);
        Put(stream, 0, 4);
        Put(stream, (uint)files.Count, 2);
        Put(stream, (uint)files.Count, 2);
        Put(stream, (uint)central.Length, 4);
        Put(stream, directory, 4);
        Put(stream, 0, 2);
        return stream.ToArray();
    }

    private static void Fields(MemoryStream stream, uint crc, int length, int name, int extra)
    {
        Put(stream, Version, 2);
        Put(stream, NamesAreUtf8, 2);
        Put(stream, 0, 2);
        Put(stream, NoDate, 4);
        Put(stream, crc, 4);
        Put(stream, (uint)length, 4);
        Put(stream, (uint)length, 4);
        Put(stream, (uint)name, 2);
        Put(stream, (uint)extra, 2);
    }

    private static void Put(MemoryStream stream, uint value, int bytes)
    {
        Span<byte> word = stackalloc byte[4];
        BinaryPrimitives.WriteUInt32LittleEndian(word, value);
        stream.Write(word[..bytes]);
    }
}
