using System.Buffers.Binary;
using System.Numerics;
using System.Runtime.InteropServices;
using System.Text.Json;

namespace Crumpet.Core.Geometry;

/// <summary>The container of a glTF file: its JSON, its buffers, and the numbers its accessors give.</summary>
/// <remarks>Source: Khronos glTF 2.0 specification, sections 3.6 (binary data) and 4 (GLB).</remarks>
internal sealed class GltfData : IDisposable
{
    // A claim beyond this is no mesh for a texture artist; nothing is allocated for it.
    private const int LargestCount = 1 << 27;
    private const int LargestWithoutData = 1 << 23;
    private readonly string fileName;
    private readonly JsonDocument json;
    private readonly ReadOnlyMemory<byte>?[] buffers;
    private readonly Dictionary<int, byte[]> unpacked = [];

    private GltfData(string fileName, JsonDocument json, ReadOnlyMemory<byte>?[] buffers)
    {
        this.fileName = fileName;
        this.json = json;
        this.buffers = buffers;
    }

    public JsonElement Root => json.RootElement;

    public static GltfData Open(byte[] bytes, string fileName, Func<string, byte[]?> beside)
    {
        ReadOnlyMemory<byte> text = bytes, binary = default;
        if (bytes.AsSpan().StartsWith("glTF"u8))
            (text, binary) = Chunks(bytes, fileName);
        else if (bytes.AsSpan().StartsWith(System.Text.Encoding.UTF8.Preamble))
            text = text[3..];
        var json = JsonDocument.Parse(text, new JsonDocumentOptions { AllowTrailingCommas = true, CommentHandling = JsonCommentHandling.Skip });
        try
        {
            return new GltfData(fileName, json, Buffers(json.RootElement, binary, fileName, beside));
        }
        catch
        {
            json.Dispose();
            throw;
        }
    }

    public void Dispose() => json.Dispose();

    private static (ReadOnlyMemory<byte> Json, ReadOnlyMemory<byte> Binary) Chunks(byte[] bytes, string fileName)
    {
        if (bytes.Length < 20)
            throw Cut(fileName, "its header is cut");
        uint version = Word(bytes, 4), claimed = Word(bytes, 8);
        if (version != 2)
            throw new SourceFileException(fileName, "", $"it is GLB version {version}, as glTF {version}.0 had it, which is not read", "Export it as glTF 2.0");
        if (claimed > bytes.Length)
            throw Cut(fileName, $"it says it has {claimed} bytes and has {bytes.Length}");
        ReadOnlyMemory<byte> text = default, binary = default;
        for (long at = 12; at + 8 <= claimed;)
        {
            uint length = Word(bytes, (int)at), kind = Word(bytes, (int)at + 4);
            at += 8;
            if (length > claimed - at)
                throw Cut(fileName, $"a chunk says it has {length} bytes, {claimed - at} are left");
            var chunk = bytes.AsMemory((int)at, (int)length);
            if (kind == 0x4e4f534a && text.IsEmpty)
                text = chunk;
            else if (kind == 0x004e4942 && binary.IsEmpty)
                binary = chunk;
            at += (length + 3L) & ~3L;
        }
        return text.IsEmpty ? throw Cut(fileName, "it has no JSON chunk") : (text, binary);
    }

    private static ReadOnlyMemory<byte>?[] Buffers(JsonElement root, ReadOnlyMemory<byte> binary, string fileName, Func<string, byte[]?> beside)
    {
        var list = root.List("buffers").ToArray();
        var buffers = new ReadOnlyMemory<byte>?[list.Length];
        for (int i = 0; i < list.Length; i++)
        {
            long claimed = list[i].Long("byteLength", 0);
            ReadOnlyMemory<byte> data;
            // Stands in for readers that do not decompress.
            if (Packing(list[i])?.Inner("fallback") is { ValueKind: JsonValueKind.True })
                continue;
            if (list[i].Text("uri") is not { } uri)
                data = i == 0 ? binary : default;
            else if (uri.StartsWith("data:", StringComparison.Ordinal))
                data = System.Convert.FromBase64String(uri[(uri.IndexOf(',') + 1)..]);
            else
                data = beside(Uri.UnescapeDataString(uri))
                    ?? throw new SourceFileException(fileName, "", $"it refers to {Uri.UnescapeDataString(uri)}, which is not here",
                    $"Add {Uri.UnescapeDataString(uri)} together with it");
            if (claimed > data.Length)
                throw Cut(fileName, $"buffer {i} says it has {claimed} bytes and has {data.Length}");
            buffers[i] = data[..(int)claimed];
        }
        return buffers;
    }

    /// <summary>An accessor's numbers, normalised where it says so, element after element.</summary>
    /// <param name="number">Its number.</param>
    /// <param name="width">Numbers an element.</param>
    public float[] Floats(int number, out int width)
    {
        var accessor = Accessor(number, out int count, out width, out int component, out bool normalized);
        var values = new float[checked(count * width)];
        if (accessor.Has("bufferView"))
            Fill(View(accessor.Int("bufferView", -1)), accessor.Long("byteOffset", 0), count, width, component, normalized, values, number);
        if (accessor.TryGetProperty("sparse", out var sparse))
        {
            int changed = sparse.Int("count", 0);
            if (changed < 0 || changed > count)
                throw Cut(fileName, $"accessor {number} changes {changed} of {count} elements");
            var at = SparseIndices(sparse.GetProperty("indices"), changed, number);
            var put = new float[changed * width];
            var source = sparse.GetProperty("values");
            Fill(View(source.Int("bufferView", -1)), source.Long("byteOffset", 0), changed, width, component, normalized, put, number);
            for (int i = 0; i < changed; i++)
            {
                if (at[i] < 0 || at[i] >= count)
                    throw Cut(fileName, $"accessor {number} changes element {at[i]} of {count}");
                put.AsSpan(i * width, width).CopyTo(values.AsSpan(at[i] * width));
            }
        }
        return values;
    }

    /// <summary>An accessor's whole numbers.</summary>
    public int[] Ints(int number)
    {
        var accessor = Accessor(number, out int count, out int width, out int component, out _);
        var values = new int[checked(count * width)];
        if (accessor.Has("bufferView"))
            FillInts(View(accessor.Int("bufferView", -1)), accessor.Long("byteOffset", 0), count, width, component, values, number);
        return values;
    }

    public Vector3[] Vectors3(int number)
    {
        var values = Floats(number, out int width);
        if (width != 3)
            throw Cut(fileName, $"accessor {number} has {width} numbers an element where 3 are needed");
        return MemoryMarshal.Cast<float, Vector3>(values).ToArray();
    }

    public Vector2[] Vectors2(int number)
    {
        var values = Floats(number, out int width);
        if (width != 2)
            throw Cut(fileName, $"accessor {number} has {width} numbers an element where 2 are needed");
        return MemoryMarshal.Cast<float, Vector2>(values).ToArray();
    }

    private JsonElement Accessor(int number, out int count, out int width, out int component, out bool normalized)
    {
        var accessor = Root.At("accessors", number) ?? throw Cut(fileName, $"it refers to accessor {number}, which is not there");
        count = accessor.Int("count", 0);
        component = accessor.Int("componentType", 0);
        normalized = accessor.TryGetProperty("normalized", out var flag) && flag.ValueKind == JsonValueKind.True;
        string type = accessor.Text("type") ?? "";
        width = type switch
        {
            "SCALAR" => 1,
            "VEC2" => 2,
            "VEC3" => 3,
            "VEC4" or "MAT2" => 4,
            "MAT3" => 9,
            "MAT4" => 16,
            _ => throw Cut(fileName, $"accessor {number} is of type '{type}'"),
        };
        // An accessor without a view is all zeros, and only a small one can be meant.
        long most = accessor.Has("bufferView") ? LargestCount : LargestWithoutData;
        if (count < 0 || (long)count * width > most)
            throw new SourceFileException(fileName, $"accessor {number}", $"it says it has {count} elements; at most {most / width} are read",
                "Export it again, or split the mesh");
        return accessor;
    }

    private (ReadOnlyMemory<byte> Bytes, int Stride) View(int number)
    {
        var view = Root.At("bufferViews", number) ?? throw Cut(fileName, $"it refers to buffer view {number}, which is not there");
        if (Packing(view) is { } packing)
        {
            if (!unpacked.TryGetValue(number, out byte[]? whole))
                unpacked.Add(number, whole = Unpack(packing, number));
            return (whole, packing.Int("byteStride", 0));
        }
        return (Slice(view, number), StrideOf(view, number));
    }

    /// <summary>The bytes of a buffer view as they lie in the file.</summary>
    public ReadOnlyMemory<byte> BytesOf(int view) =>
        Slice(Root.At("bufferViews", view) ?? throw Cut(fileName, $"it refers to buffer view {view}, which is not there"), view);

    private byte[] Unpack(JsonElement packing, int number)
    {
        int count = packing.Int("count", 0), stride = packing.Int("byteStride", 0);
        if (count < 0 || stride < 0 || (long)count * stride > 4L * LargestCount)
            throw Cut(fileName, $"compressed buffer view {number} says it has {count} elements of {stride} bytes");
        return MeshoptDecoder.Decode(Slice(packing, number).Span, count, stride, packing.Text("mode") ?? "", packing.Text("filter") ?? "NONE");
    }

    private static JsonElement? Packing(JsonElement element) =>
        element.Inner("extensions", "EXT_meshopt_compression") ?? element.Inner("extensions", "KHR_meshopt_compression");

    private ReadOnlyMemory<byte> Slice(JsonElement view, int number)
    {
        int buffer = view.Int("buffer", -1);
        if (buffer < 0 || buffer >= buffers.Length || buffers[buffer] is not { } data)
            throw Cut(fileName, $"buffer view {number} refers to buffer {buffer}, which is not there");
        long offset = view.Long("byteOffset", 0), length = view.Long("byteLength", 0);
        if (offset < 0 || length < 0 || offset > data.Length || length > data.Length - offset)
            throw Cut(fileName, $"buffer view {number} reaches to byte {offset + length} of {data.Length}");
        return data.Slice((int)offset, (int)length);
    }

    private int StrideOf(JsonElement view, int number)
    {
        int stride = view.Int("byteStride", 0);
        return stride is < 0 or > 65536 ? throw Cut(fileName, $"buffer view {number} has a stride of {stride}") : stride;
    }

    private void Fill((ReadOnlyMemory<byte> Bytes, int Stride) view, long offset, int count, int width, int component, bool normalized, float[] into,
        int number)
    {
        var bytes = Reach(view, offset, count, width, component, number, out int stride);
        if (component == 5126 && stride == 4 * width && BitConverter.IsLittleEndian)
        {
            MemoryMarshal.Cast<byte, float>(bytes[..(4 * into.Length)]).CopyTo(into);
            return;
        }
        for (int i = 0; i < count; i++)
        {
            for (int c = 0; c < width; c++)
            {
                var at = bytes[(i * stride + c * SizeOf(component))..];
                float value = component switch
                {
                    5120 => (sbyte)at[0],
                    5121 => at[0],
                    5122 => BinaryPrimitives.ReadInt16LittleEndian(at),
                    5123 => BinaryPrimitives.ReadUInt16LittleEndian(at),
                    5125 => BinaryPrimitives.ReadUInt32LittleEndian(at),
                    _ => BinaryPrimitives.ReadSingleLittleEndian(at),
                };
                into[i * width + c] = normalized ? Share(value, component) : value;
            }
        }
    }

    /// <summary>A whole number as a share of its type's largest, as section 3.6.2.2 has it.</summary>
    private static float Share(float value, int component) => component switch
    {
        5120 => MathF.Max(value / 127, -1),
        5121 => value / 255,
        5122 => MathF.Max(value / 32767, -1),
        5123 => value / 65535,
        _ => value,
    };

    private void FillInts((ReadOnlyMemory<byte> Bytes, int Stride) view, long offset, int count, int width, int component, int[] into, int number)
    {
        var bytes = Reach(view, offset, count, width, component, number, out int stride);
        for (int i = 0; i < count; i++)
        {
            for (int c = 0; c < width; c++)
            {
                var at = bytes[(i * stride + c * SizeOf(component))..];
                into[i * width + c] = component switch
                {
                    5121 => at[0],
                    5123 => BinaryPrimitives.ReadUInt16LittleEndian(at),
                    // What is beyond the range of indices becomes negative and is refused as one.
                    5125 => (int)BinaryPrimitives.ReadUInt32LittleEndian(at),
                    _ => throw Cut(fileName, $"accessor {number} has component type {component} where whole numbers are needed"),
                };
            }
        }
    }

    private int[] SparseIndices(JsonElement indices, int count, int number)
    {
        var into = new int[count];
        FillInts(View(indices.Int("bufferView", -1)), indices.Long("byteOffset", 0), count, 1, indices.Int("componentType", 0), into, number);
        return into;
    }

    /// <summary>The bytes of an accessor's elements, checked to be there.</summary>
    private ReadOnlySpan<byte> Reach((ReadOnlyMemory<byte> Bytes, int Stride) view, long offset, int count, int width, int component, int number,
        out int stride)
    {
        int size = SizeOf(component) * width;
        stride = view.Stride > 0 ? view.Stride : size;
        long end = count == 0 ? offset : offset + (long)stride * (count - 1) + size;
        if (SizeOf(component) == 0 || offset < 0 || offset > view.Bytes.Length || end > view.Bytes.Length)
            throw Cut(fileName, $"accessor {number} reaches to byte {end} of the {view.Bytes.Length} of its buffer view");
        return view.Bytes.Span[(int)offset..(int)end];
    }

    private static int SizeOf(int component) => component switch { 5120 or 5121 => 1, 5122 or 5123 => 2, 5125 or 5126 => 4, _ => 0 };

    private static uint Word(byte[] bytes, int at) => BinaryPrimitives.ReadUInt32LittleEndian(bytes.AsSpan(at));

    internal static SourceFileException Cut(string fileName, string what) => new(fileName, "", what, "Export it again; it may have been cut in transfer");
}

/// <summary>Reads JSON without stumbling over what is missing.</summary>
internal static class JsonReading
{
    public static IEnumerable<JsonElement> List(this JsonElement element, string name) =>
        element.TryGetProperty(name, out var list) && list.ValueKind == JsonValueKind.Array ? list.EnumerateArray() : [];

    public static JsonElement? At(this JsonElement element, string list, int number) =>
        number >= 0 && element.TryGetProperty(list, out var array) && array.ValueKind == JsonValueKind.Array && number < array.GetArrayLength() ? array[number]
            : null;

    public static bool Has(this JsonElement element, string name) => element.TryGetProperty(name, out _);

    public static int Int(this JsonElement element, string name, int otherwise) =>
        !element.TryGetProperty(name, out var value) ? otherwise : value.TryGetInt32(out int whole) ? whole
            : throw new FormatException($"{name} is no whole number");

    public static long Long(this JsonElement element, string name, long otherwise) =>
        !element.TryGetProperty(name, out var value) ? otherwise : value.TryGetInt64(out long whole) ? whole
            : throw new FormatException($"{name} is no whole number");

    public static float Float(this JsonElement element, string name, float otherwise) =>
        element.TryGetProperty(name, out var value) ? value.GetSingle() : otherwise;

    public static string? Text(this JsonElement element, string name) =>
        element.TryGetProperty(name, out var value) && value.ValueKind == JsonValueKind.String ? value.GetString() : null;

    /// <summary>A list of numbers of the given length, or null where there is none.</summary>
    public static float[]? Numbers(this JsonElement element, string name, int length)
    {
        if (!element.TryGetProperty(name, out var list))
            return null;
        float[] numbers = [.. list.EnumerateArray().Select(n => n.GetSingle())];
        return numbers.Length == length && Array.TrueForAll(numbers, float.IsFinite) ? numbers : throw new FormatException($"{name} is not {length} numbers");
    }

    public static JsonElement? Inner(this JsonElement element, params ReadOnlySpan<string> names)
    {
        foreach (string name in names)
        {
            if (element.ValueKind != JsonValueKind.Object || !element.TryGetProperty(name, out element))
                return null;
        }
        return element;
    }
}
