using System.Numerics;
using System.Runtime.InteropServices;

namespace Crumpet.Core.Pairs;

/// <summary>Rays of a part's low objects as bytes: what the bake takes from Pairs.</summary>
public static class RaysFile
{
    private const int Signature = 0x31595243;

    /// <summary>Writes.</summary>
    /// <param name="rays">By number of the low object.</param>
    public static byte[] Write(IReadOnlyDictionary<int, LowRays> rays)
    {
        using var stream = new MemoryStream();
        using var writer = new BinaryWriter(stream);
        writer.Write(Signature);
        writer.Write(rays.Count);
        foreach (var (number, r) in rays.OrderBy(p => p.Key))
        {
            writer.Write(number);
            writer.Write(r.Directions.Length);
            writer.Write(r.Cage is not null);
            writer.Write(MemoryMarshal.AsBytes<Vector3>(r.Directions));
            writer.Write(MemoryMarshal.AsBytes<float>(r.Inward));
            if (r.Cage is { } cage)
                writer.Write(MemoryMarshal.AsBytes<Vector3>(cage));
        }
        return stream.ToArray();
    }

    /// <summary>Reads what <see cref="Write"/> wrote.</summary>
    public static IReadOnlyDictionary<int, LowRays> Read(byte[] bytes)
    {
        using var reader = new BinaryReader(new MemoryStream(bytes));
        if (reader.ReadInt32() != Signature)
            throw new InvalidDataException("These are no rays.");
        var result = new Dictionary<int, LowRays>();
        for (int left = reader.ReadInt32(); left > 0; left--)
        {
            int number = reader.ReadInt32(), corners = reader.ReadInt32();
            bool hasCage = reader.ReadBoolean();
            var directions = ReadAll<Vector3>(reader, corners);
            var inward = ReadAll<float>(reader, corners);
            result.Add(number, new LowRays(directions, hasCage ? ReadAll<Vector3>(reader, corners) : null, inward));
        }
        return result;
    }

    /// <summary>Rays of a part's low objects in their order.</summary>
    public static LowRays[] InOrder(IReadOnlyDictionary<int, LowRays> rays) => [.. rays.OrderBy(p => p.Key).Select(p => p.Value)];

    /// <summary>Points that were written one after another.</summary>
    public static Vector3[] ReadPoints(byte[] bytes) => MemoryMarshal.Cast<byte, Vector3>(bytes).ToArray();

    private static T[] ReadAll<T>(BinaryReader reader, int count)
        where T : unmanaged
    {
        var values = new T[count];
        reader.BaseStream.ReadExactly(MemoryMarshal.AsBytes(values.AsSpan()));
        return values;
    }
}
