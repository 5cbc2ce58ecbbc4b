using System.Buffers.Binary;
using System.IO.Compression;
using System.Runtime.InteropServices;
using System.Text;

namespace Crumpet.Core.Imaging;

/// <summary>Writes floating-point pictures as OpenEXR: one part, scan lines, 16- or 32-bit channels, deflated in blocks of 16 rows.</summary>
/// <remarks>Source: "OpenEXR File Layout" and "Technical Introduction to OpenEXR", Academy Software Foundation.</remarks>
public static class ExrWriter
{
    private const int BlockRows = 16;
    private const byte Zip = 3;

    /// <summary>The bytes of a file.</summary>
    /// <param name="picture">1 grey, 2 grey and alpha, 3 RGB or 4 RGBA channels.</param>
    /// <param name="threads">Threads to use; the bytes do not depend on them.</param>
    /// <param name="half">Whether channels have 16 bits.</param>
    /// <param name="cancel">Ends the work early.</param>
    public static byte[] Write(Bitmap32 picture, int threads = 1, bool half = false, CancellationToken cancel = default)
    {
        int blocks = (picture.Height + BlockRows - 1) / BlockRows;
        var packed = new byte[blocks][];
        Parallel.For(0, blocks, new ParallelOptions { MaxDegreeOfParallelism = threads, CancellationToken = cancel },
            i => packed[i] = Block(picture, i * BlockRows, half));
        using var stream = new MemoryStream();
        using var writer = new BinaryWriter(stream);
        Header(writer, picture, half);
        long at = stream.Length + 8L * blocks;
        foreach (byte[] block in packed)
        {
            writer.Write(at);
            at += 8 + block.Length;
        }
        for (int i = 0; i < blocks; i++)
        {
            writer.Write(i * BlockRows);
            writer.Write(packed[i].Length);
            writer.Write(packed[i]);
        }
        return stream.ToArray();
    }

    /// <summary>Names of the channels in the order of the file, each with its place in the picture.</summary>
    private static (string Name, int Channel)[] Channels(Bitmap32 picture) => picture.Channels switch
    {
        1 => [("Y", 0)],
        2 => [("A", 1), ("Y", 0)],
        3 => [("B", 2), ("G", 1), ("R", 0)],
        _ => [("A", 3), ("B", 2), ("G", 1), ("R", 0)],
    };

    private static void Header(BinaryWriter writer, Bitmap32 picture, bool half)
    {
        writer.Write(20000630);
        writer.Write(2);
        using var list = new MemoryStream();
        using var names = new BinaryWriter(list);
        foreach (var (name, _) in Channels(picture))
        {
            Text(names, name);
            names.Write(half ? 1 : 2); // HALF or FLOAT
            names.Write(0);
            names.Write(1);
            names.Write(1);
        }
        names.Write((byte)0);
        Attribute(writer, "channels", "chlist", list.ToArray());
        Attribute(writer, "compression", "compression", [Zip]);
        byte[] window = MemoryMarshal.AsBytes((ReadOnlySpan<int>)[0, 0, picture.Width - 1, picture.Height - 1]).ToArray();
        Attribute(writer, "dataWindow", "box2i", window);
        Attribute(writer, "displayWindow", "box2i", window);
        Attribute(writer, "lineOrder", "lineOrder", [0]);
        Attribute(writer, "pixelAspectRatio", "float", BitConverter.GetBytes(1f));
        Attribute(writer, "screenWindowCenter", "v2f", new byte[8]);
        Attribute(writer, "screenWindowWidth", "float", BitConverter.GetBytes(1f));
        writer.Write((byte)0);
    }

    private static void Attribute(BinaryWriter writer, string name, string type, byte[] value)
    {
        Text(writer, name);
        Text(writer, type);
        writer.Write(value.Length);
        writer.Write(value);
    }

    private static void Text(BinaryWriter writer, string text)
    {
        writer.Write(Encoding.ASCII.GetBytes(text));
        writer.Write((byte)0);
    }

    private static byte[] Block(Bitmap32 picture, int firstRow, bool half)
    {
        var channels = Channels(picture);
        int rows = Math.Min(BlockRows, picture.Height - firstRow);
        int bytes = half ? 2 : 4, at = 0;
        var raw = new byte[bytes * picture.Width * rows * channels.Length];
        for (int y = firstRow; y < firstRow + rows; y++)
        {
            foreach (var (_, channel) in channels)
            {
                for (int x = 0; x < picture.Width; x++, at += bytes)
                {
                    float value = picture.Pixels[(y * picture.Width + x) * picture.Channels + channel];
                    if (half)
                        BinaryPrimitives.WriteHalfLittleEndian(raw.AsSpan(at), (Half)value);
                    else
                        BinaryPrimitives.WriteSingleLittleEndian(raw.AsSpan(at), value);
                }
            }
        }
        // Even bytes before odd ones, then differences: like bytes come together.
        var parted = new byte[raw.Length];
        int odd = (raw.Length + 1) / 2;
        for (int i = 0; i < raw.Length; i++)
            parted[(i % 2 == 0 ? 0 : odd) + i / 2] = raw[i];
        for (int i = parted.Length - 1; i > 0; i--)
            parted[i] = (byte)(parted[i] - parted[i - 1] + 128);
        using var stream = new MemoryStream();
        using (var deflate = new ZLibStream(stream, CompressionLevel.Fastest, leaveOpen: true))
            deflate.Write(parted);
        return stream.Length < raw.Length ? stream.ToArray() : raw;
    }
}
