using System.Buffers.Binary;
using System.Numerics;
using System.Text.Json;

namespace Crumpet.Core.Geometry;

/// <summary>The one buffer of a glTF file, with its views and accessors.</summary>
internal sealed class GltfBuffer : IDisposable
{
    private const int FloatComponent = 5126, ShortComponent = 5123, WordComponent = 5125, VertexTarget = 34962, IndexTarget = 34963;
    private readonly MemoryStream bytes = new();
    private readonly List<(long Offset, long Length, int? Target)> views = [];
    private readonly List<Accessor> accessors = [];

    private sealed record Accessor(int View, int Component, int Count, string Type, Vector3? Min = null, Vector3? Max = null);

    /// <summary>Puts a value of a corner.</summary>
    public delegate void Put(int corner, Span<float> into);

    /// <summary>Bytes so far, a whole number of words.</summary>
    public MemoryStream Bytes
    {
        get
        {
            Pad(bytes, 0);
            return bytes;
        }
    }

    /// <summary>Fills a stream up to a whole number of words.</summary>
    public static void Pad(MemoryStream stream, byte with)
    {
        while (stream.Length % 4 != 0)
            stream.WriteByte(with);
    }

    /// <summary>Adds values of so many numbers each. Returns the number of the accessor.</summary>
    public int AddFloats(int width, IReadOnlyList<int> corners, Put put, Bounds? bounds = null)
    {
        var values = new float[width * corners.Count];
        for (int i = 0; i < corners.Count; i++)
            put(corners[i], values.AsSpan(width * i, width));
        var added = new byte[4 * values.Length];
        for (int i = 0; i < values.Length; i++)
            BinaryPrimitives.WriteSingleLittleEndian(added.AsSpan(4 * i), values[i]);
        accessors.Add(new Accessor(AddView(added, VertexTarget), FloatComponent, corners.Count, $"VEC{width}", bounds?.Min, bounds?.Max));
        return accessors.Count - 1;
    }

    /// <summary>Adds indices, as short as they can be. Returns the number of the accessor.</summary>
    public int AddIndices(IReadOnlyList<int> indices, int vertexCount)
    {
        bool wide = vertexCount > ushort.MaxValue;
        var added = new byte[indices.Count * (wide ? 4 : 2)];
        for (int i = 0; i < indices.Count; i++)
        {
            if (wide)
                BinaryPrimitives.WriteInt32LittleEndian(added.AsSpan(4 * i), indices[i]);
            else
                BinaryPrimitives.WriteUInt16LittleEndian(added.AsSpan(2 * i), (ushort)indices[i]);
        }
        accessors.Add(new Accessor(AddView(added, IndexTarget), wide ? WordComponent : ShortComponent, indices.Count, "SCALAR"));
        return accessors.Count - 1;
    }

    /// <summary>Adds bytes of any kind. Returns the number of the view.</summary>
    public int AddView(byte[] added, int? target = null)
    {
        Pad(bytes, 0);
        views.Add((bytes.Length, added.Length, target));
        bytes.Position = bytes.Length;
        bytes.Write(added);
        return views.Count - 1;
    }

    /// <summary>Writes accessors, views and the buffer.</summary>
    /// <param name="json">Receives them.</param>
    /// <param name="uri">Where the buffer lies; null for the file itself.</param>
    public void Write(Utf8JsonWriter json, string? uri)
    {
        json.WriteStartArray("accessors");
        foreach (var accessor in accessors)
        {
            json.WriteStartObject();
            json.WriteNumber("bufferView", accessor.View);
            json.WriteNumber("componentType", accessor.Component);
            json.WriteNumber("count", accessor.Count);
            json.WriteString("type", accessor.Type);
            if (accessor.Min is { } min && accessor.Max is { } max)
            {
                Corner(json, "min", min);
                Corner(json, "max", max);
            }
            json.WriteEndObject();
        }
        json.WriteEndArray();
        json.WriteStartArray("bufferViews");
        foreach (var (offset, length, target) in views)
        {
            json.WriteStartObject();
            json.WriteNumber("buffer", 0);
            json.WriteNumber("byteOffset", offset);
            json.WriteNumber("byteLength", length);
            if (target is { } kind)
                json.WriteNumber("target", kind);
            json.WriteEndObject();
        }
        json.WriteEndArray();
        json.WriteStartArray("buffers");
        json.WriteStartObject();
        if (uri is not null)
            json.WriteString("uri", uri);
        json.WriteNumber("byteLength", Bytes.Length);
        json.WriteEndObject();
        json.WriteEndArray();
    }

    /// <inheritdoc/>
    public void Dispose() => bytes.Dispose();

    private static void Corner(Utf8JsonWriter json, string name, Vector3 value)
    {
        json.WriteStartArray(name);
        json.WriteNumberValue(value.X);
        json.WriteNumberValue(value.Y);
        json.WriteNumberValue(value.Z);
        json.WriteEndArray();
    }
}
