using System.Runtime.InteropServices;
using ZstdSharp;

namespace Crumpet.Core.Baking;

/// <summary>What one part covers of one tile of a sheet.</summary>
/// <param name="Tile">Number of the tile.</param>
/// <param name="Texels">Covered texels, numbered within the tile row by row, ascending.</param>
/// <param name="Samples">Samples of each that lie in a low triangle.</param>
/// <param name="Hits">Samples of each whose ray found its surface.</param>
/// <param name="Faults">What is wrong with each, a <see cref="FaultKind"/>.</param>
internal sealed record CoverTile(int Tile, ushort[] Texels, byte[] Samples, byte[] Hits, byte[] Faults);

/// <summary>What one part covers of a sheet, and what is wrong there.</summary>
/// <param name="Tiles">Its tiles, ascending.</param>
/// <param name="Regions">Wrong regions, most texels first.</param>
/// <param name="Rays">Rays cast from the low surface.</param>
internal sealed record PartCover(CoverTile[] Tiles, IReadOnlyList<FaultRegion> Regions, long Rays);

/// <summary>One map of one part.</summary>
/// <param name="Map">Which.</param>
/// <param name="Blocks">Values of each of the cover's tiles, compressed: channels interleaved, 16-bit shares or 32-bit floats.</param>
/// <param name="Labels">Names that an ID map's numbers stand for.</param>
/// <param name="Rays">Rays cast for it alone.</param>
internal sealed record PartMap(BakeMap Map, byte[][] Blocks, string[] Labels, long Rays)
{
    /// <summary>Whether its values are floats in the map's own units; otherwise shares of full scale.</summary>
    public static bool HoldsFloats(BakeMap map) => map.Kind() is not (MapKind.Vector or MapKind.Share or MapKind.Tint);
}

/// <summary>Packs the values of tiles, and pieces as bytes.</summary>
internal static class PieceFile
{
    private const int Level = 1;

    /// <summary>Compresses the values of a tile.</summary>
    public static byte[] Pack(Compressor compressor, ReadOnlySpan<byte> raw) => compressor.Wrap(raw).ToArray();

    /// <summary>A compressor for <see cref="Pack"/>; not for two threads at once.</summary>
    public static Compressor Compressor() => new(Level);

    /// <summary>Restores what <see cref="Pack"/> gave.</summary>
    public static void Unpack(Decompressor decompressor, byte[] block, Span<byte> raw)
    {
        if (decompressor.Unwrap(block, raw) != raw.Length)
            throw new InvalidDataException("A kept piece of a bake is damaged; delete the store's results and bake again.");
    }

    /// <summary>A cover as bytes.</summary>
    public static byte[] Write(PartCover cover)
    {
        using var stream = new MemoryStream();
        using var writer = new BinaryWriter(stream);
        using var compressor = Compressor();
        writer.Write(cover.Rays);
        writer.Write(System.Text.Json.JsonSerializer.Serialize(cover.Regions));
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
        long rays = reader.ReadInt64();
        var regions = System.Text.Json.JsonSerializer.Deserialize<FaultRegion[]>(reader.ReadString())!;
        var tiles = new CoverTile[reader.ReadInt32()];
        for (int i = 0; i < tiles.Length; i++)
        {
            int number = reader.ReadInt32(), count = reader.ReadInt32();
            var raw = new byte[count * 5];
            Unpack(decompressor, reader.ReadBytes(reader.ReadInt32()), raw);
            tiles[i] = new CoverTile(
                number, MemoryMarshal.Cast<byte, ushort>(raw.AsSpan(0, 2 * count)).ToArray(), raw[(2 * count)..(3 * count)], raw[(3 * count)..(4 * count)], raw[(4 * count)..]);
        }
        return new PartCover(tiles, regions, rays);
    }

    /// <summary>A map as bytes.</summary>
    public static byte[] Write(PartMap map)
    {
        using var stream = new MemoryStream();
        using var writer = new BinaryWriter(stream);
        writer.Write((int)map.Map);
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
        var map = (BakeMap)reader.ReadInt32();
        long rays = reader.ReadInt64();
        var labels = new string[reader.ReadInt32()];
        for (int i = 0; i < labels.Length; i++)
            labels[i] = reader.ReadString();
        var blocks = new byte[reader.ReadInt32()][];
        for (int i = 0; i < blocks.Length; i++)
            blocks[i] = reader.ReadBytes(reader.ReadInt32());
        return new PartMap(map, blocks, labels, rays);
    }
}
