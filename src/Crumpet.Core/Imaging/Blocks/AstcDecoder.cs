using System.Runtime.CompilerServices;
using System.Runtime.InteropServices;
using System.Runtime.Intrinsics;

namespace Crumpet.Core.Imaging.Blocks;

/// <summary>Decodes ASTC blocks of low range, of any footprint up to 12 × 12. What is reserved or of high range is magenta, as the standard has it.</summary>
/// <remarks>Source: Khronos Data Format Specification 1.3, "ASTC compressed texture image formats"; texels as bytes, in the way that is said there for sRGB
/// and for decoding to eight bits.</remarks>
internal sealed class AstcDecoder(int width, int height)
{
    private const uint Magenta = 0xffff00ff;
    private const int Modes = 2048, Seeds = 1024, MostTexels = 12 * 12;

    // What the first eleven bits say; null for what is reserved.
    private static readonly Mode?[] Known = [.. Enumerable.Range(0, Modes).Select(n => AstcMode.Of(n) is { } mode ? new Mode(mode) : null)];

    // Bytes of each texel of RGBA, for one part; of two parts and more, made when they are first met.
    private readonly byte[] whole = LineMix.Controls(width * height, _ => 0);
    private readonly byte[]?[] parted = new byte[3 * Seeds][];
    private readonly Spreading?[] spreadings = new Spreading?[13 * 13];

    /// <summary>Decodes 16 bytes into RGBA texels.</summary>
    [SkipLocalsInit]
    public void Decode(ReadOnlySpan<byte> block, Span<byte> rgba)
    {
        var bits = new BlockReader(block);
        var colours = MemoryMarshal.Cast<byte, uint>(rgba[..(4 * width * height)]);
        uint first = bits.At(0, 11);
        if ((first & 0x1ff) == 0x1fc)
        {
            // One colour of sixteen bits a channel; of high range it is none of ours.
            colours.Fill((first & 0x200) != 0 ? Magenta : bits.At(72, 8) | bits.At(88, 8) << 8 | bits.At(104, 8) << 16 | bits.At(120, 8) << 24);
            return;
        }
        int parts = (int)bits.At(11, 2) + 1;
        if (Known[first] is not { } mode || mode.Width > width || mode.Height > height || (parts == 4 && mode.Planes == 2))
        {
            colours.Fill(Magenta);
            return;
        }
        int start = parts == 1 ? 17 : 29, below = 128 - mode.Bits;
        uint kinds = Kinds(bits, parts, ref below);
        int channel = -1;
        if (mode.Planes == 2)
        {
            below -= 2;
            channel = (int)bits.At(below, 2);
        }
        int count = 0;
        for (int part = 0; part < parts; part++)
            count += 2 * ((int)(kinds >> (4 * part + 2) & 3) + 1);
        if (count > AstcNumbers.MostEnds || AstcNumbers.Finest(count, below - start) is not { } numbers)
        {
            colours.Fill(Magenta);
            return;
        }
        Span<byte> values = stackalloc byte[AstcNumbers.Room], weights = stackalloc byte[AstcNumbers.Room];
        var ends = bits;
        ends.Take(start);
        numbers.Read(ends, count, values);
        Span<uint> lows = stackalloc uint[4], highs = stackalloc uint[4];
        for (int part = 0, at = 0; part < parts; part++)
        {
            int kind = (int)(kinds >> (4 * part)) & 15;
            if (!AstcEnds.Read(kind, values[at..], out lows[part], out highs[part]))
            {
                colours.Fill(Magenta);
                return;
            }
            at += 2 * (kind / 4 + 1);
        }
        mode.Numbers.Read(bits.Turned(), mode.Weights, weights);
        byte[] controls = parts == 1 ? whole : parted[(parts - 2) * Seeds + (int)bits.At(13, 10)] ??= Parted((int)bits.At(13, 10), parts);
        Fill(rgba, mode, channel, Vector128.Create<uint>(lows).AsByte(), Vector128.Create<uint>(highs).AsByte(), controls, weights);
    }

    private byte[] Parted(int seed, int parts) =>
        LineMix.Controls(width * height, i => AstcTables.Part(seed, i % width, i / width, parts, width * height < 31));

    [SkipLocalsInit]
    private void Fill(Span<byte> rgba, Mode mode, int channel, Vector128<byte> first, Vector128<byte> second, byte[] controls, ReadOnlySpan<byte> weights)
    {
        // Weights of texels, and of a channel that has its own.
        Span<byte> all = stackalloc byte[MostTexels + 7], apart = stackalloc byte[MostTexels + 7], last = stackalloc byte[32];
        var spreading = spreadings[mode.Height * 13 + mode.Width] ??= new Spreading(new AstcInfill(width, height, mode.Width, mode.Height));
        spreading.Spread(weights, mode.Planes, 0, all);
        var own = Vector128.Create(0xffu << (8 * channel)).AsByte();
        if (mode.Planes == 2)
            spreading.Spread(weights, 2, 1, apart);
        int texels = width * height;
        for (int i = 0; i < texels; i += 8)
        {
            Vector128<byte> near = Vector128.Create(MemoryMarshal.Read<ulong>(all[i..]), 0).AsByte(), one = LineMix.Row(near, 0), two = LineMix.Row(near, 1);
            if (mode.Planes == 2)
            {
                near = Vector128.Create(MemoryMarshal.Read<ulong>(apart[i..]), 0).AsByte();
                (one, two) = (Vector128.ConditionalSelect(own, LineMix.Row(near, 0), one), Vector128.ConditionalSelect(own, LineMix.Row(near, 1), two));
            }
            var mixed = LineMix.Mix(first, second, controls.AsSpan(4 * i), one, two);
            if (i + 8 <= texels)
            {
                mixed.CopyTo(rgba[(4 * i)..]);
                continue;
            }
            mixed.CopyTo(last);
            last[..(4 * (texels - i))].CopyTo(rgba[(4 * i)..]);
        }
    }

    // Kinds of ends, four bits a part: one for all, or two classes and what tells them apart, part of it just below the weights.
    private static uint Kinds(BlockReader bits, int parts, ref int below)
    {
        if (parts == 1)
            return bits.At(13, 4);
        uint field = bits.At(23, 6);
        if ((field & 3) == 0)
            return (field >> 2) * 0x1111;
        int more = 3 * parts - 4;
        below -= more;
        uint all = field | bits.At(below, more) << 6, class0 = (field & 3) - 1, kinds = 0;
        for (int part = 0; part < parts; part++)
            kinds |= (class0 + (all >> (2 + part) & 1) << 2 | (all >> (2 + parts + 2 * part) & 3)) << (4 * part);
        return kinds;
    }

    /// <summary>What a mode says, ready to be read.</summary>
    private sealed class Mode(AstcMode mode)
    {
        public int Width { get; } = mode.Width;

        public int Height { get; } = mode.Height;

        public int Planes { get; } = mode.HasTwoPlanes ? 2 : 1;

        public int Weights { get; } = mode.Weights;

        public int Bits { get; } = mode.Range.BitsOf(mode.Weights);

        public AstcNumbers Numbers { get; } = new(mode.Range, AstcTables.WeightValues(mode.Range));
    }

    /// <summary>How a grid of weights is spread over texels: up to four of them, and their shares of sixteen.</summary>
    private sealed class Spreading
    {
        private readonly byte[] places, shares;
        private readonly bool isWhole;

        public Spreading(AstcInfill infill)
        {
            isWhole = infill.IsWhole;
            places = [.. infill.Texels.SelectMany(t => Enumerable.Range(0, 4).Select(i => (byte)(i < t.Length ? t[i].At : 0)))];
            shares = [.. infill.Texels.SelectMany(t => Enumerable.Range(0, 4).Select(i => (byte)(i < t.Length ? t[i].Share : 0)))];
        }

        public void Spread(ReadOnlySpan<byte> weights, int planes, int plane, Span<byte> texels)
        {
            if (isWhole && planes == 1)
            {
                weights[..(places.Length / 4)].CopyTo(texels);
                return;
            }
            for (int i = 0; i < places.Length; i += 4)
            {
                int sum = 8;
                for (int k = i; k < i + 4; k++)
                    sum += weights[places[k] * planes + plane] * shares[k];
                texels[i / 4] = (byte)(sum >> 4);
            }
        }
    }
}
