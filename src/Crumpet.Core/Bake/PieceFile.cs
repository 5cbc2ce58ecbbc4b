using System.Runtime.InteropServices;
using System.Text.Json;
using Crumpet.Core.Checking;
using ZstdSharp;

namespace Crumpet.Core.Bake;

/// <summary>Packs the values of tiles, and pieces as bytes.</summary>
internal static class PieceFile
{
    private const int Level = 1;
    private const uint CoverMagic = 0x31564343; // "CCV1"
    private const uint MapMagic = 0x32504d43; // "CMP2"

    /// <summary>Compresses the values of a tile.</summary>
    public static byte[] Pack(Compressor compressor, ReadOnlySpan<byte> raw) => compressor.Wrap(raw).ToArray();

    /// <summary>A compressor for <see cref="Pack"/>; not for two threads at once.</summary>
    public static Compressor Compressor() => new(Level);

    /// <summary>Restores what <see cref="Pack"/> gave.</summary>
    public static void Unpack(Decompressor decompressor, byte[] block, Span<byte> raw)
    {
        if (decompressor.Unwrap(block, raw) != raw.Length)
            throw Damaged();
    }

    /// <summary>A cover as bytes.</summary>
    public static byte[] Write(PartCover cover)
    {
        using var stream = new MemoryStream();
        using var writer = new BinaryWriter(stream);
        using var compressor = Compressor();
        writer.Write(CoverMagic);
        writer.Write(cover.Rays);
        writer.Write(JsonSerializer.Serialize(cover.Regions, FiniteNumbers.Web));
        writer.Write(cover.Tiles.Length);
        foreach (var tile in cover.Tiles)
        {
            int count = tile.Texels.Length;
            byte[] raw = [.. MemoryMarshal.AsBytes(tile.Texels.AsSpan()), .. tile.Samples, .. tile.Hits, .. tile.Faults];
            writer.Write(tile.Tile);
            writer.Write(count);
            byte[] block = Pack(compressor, raw);
            writer.Write(block.Length);
            writer.Write(block);
        }
        return stream.ToArray();
    }

    /// <summary>Reads what <see cref="Write(PartCover)"/> gave.</summary>
    public static PartCover ReadCover(byte[] bytes)
    {
        using var reader = new BinaryReader(new MemoryStream(bytes, writable: false));
        using var decompressor = new Decompressor();
        Expect(reader, CoverMagic);
        long rays = reader.ReadInt64();
        var regions = JsonSerializer.Deserialize<FaultRegion[]>(reader.ReadString(), FiniteNumbers.Web)!;
        var tiles = new CoverTile[reader.ReadInt32()];
        for (int i = 0; i < tiles.Length; i++)
        {
            int number = reader.ReadInt32(), count = reader.ReadInt32();
            var raw = new byte[count * 5];
            Unpack(decompressor, reader.ReadBytes(reader.ReadInt32()), raw);
            tiles[i] = new CoverTile(
                number, MemoryMarshal.Cast<byte, ushort>(raw.AsSpan(0, 2 * count)).ToArray(), raw[(2 * count)..(3 * count)], raw[(3 * count)..(4 * count)],
                    raw[(4 * count)..]);
        }
        return new PartCover(tiles, regions, rays);
    }

    /// <summary>A map as bytes.</summary>
    public static byte[] Write(PartMap map)
    {
        using var stream = new MemoryStream();
        using var writer = new BinaryWriter(stream);
        writer.Write(MapMagic);
        writer.Write(map.Map.Word);
        writer.Write(map.Rays);
        writer.Write(map.Labels.Length);
        foreach (string label in map.Labels)
            writer.Write(label);
        writer.Write(map.Blocks.Length);
        foreach (byte[] block in map.Blocks)
        {
            writer.Write(block.Length);
            writer.Write(block);
        }
        return stream.ToArray();
    }

    /// <summary>Reads what <see cref="Write(PartMap)"/> gave.</summary>
    public static PartMap ReadMap(byte[] bytes)
    {
        using var reader = new BinaryReader(new MemoryStream(bytes, writable: false));
        Expect(reader, MapMagic);
        var map = BakeMap.Table.Of(reader.ReadString());
        long rays = reader.ReadInt64();
        var labels = new string[reader.ReadInt32()];
        for (int i = 0; i < labels.Length; i++)
            labels[i] = reader.ReadString();
        var blocks = new byte[reader.ReadInt32()][];
        for (int i = 0; i < blocks.Length; i++)
            blocks[i] = reader.ReadBytes(reader.ReadInt32());
        return new PartMap(map, blocks, labels, rays);
    }

    /// <summary>Whether the bytes are a map; otherwise they are a cover.</summary>
    public static bool IsMap(byte[] bytes) => BitConverter.ToUInt32(bytes) == MapMagic;

    private static void Expect(BinaryReader reader, uint magic)
    {
        if (reader.ReadUInt32() != magic)
            throw Damaged();
    }

    private static InvalidDataException Damaged() => new("A kept piece of a bake is damaged; delete the store's results and bake again.");
}
