using System.Buffers.Binary;
using System.Numerics;
using System.Runtime.CompilerServices;

namespace Crumpet.Core.Imaging;

/// <summary>The RGB block of BC1 in its opaque form: two 5:6:5 ends, two colours between them, a 2-bit index a texel.</summary>
/// <remarks>
/// Source: Khronos Data Format Specification 1.3, "S3TC compressed texture image formats"; least-squares refinement after
/// S. Brown, "DXT compression techniques", 2006.
/// </remarks>
internal static class ColourBlock
{
    private const int RefineRounds = 4;
    private static readonly (byte First, byte Second)[] Solid5 = SolidTable(31), Solid6 = SolidTable(63);

    /// <summary>Encodes 16 RGBA texels, row by row, into 8 bytes; alpha is not kept.</summary>
    [SkipLocalsInit]
    public static void Encode(ReadOnlySpan<byte> rgba, Span<byte> block)
    {
        Span<Vector3> texels = stackalloc Vector3[16];
        var mean = Vector3.Zero;
        for (int i = 0; i < 16; i++)
        {
            texels[i] = new Vector3(rgba[4 * i], rgba[4 * i + 1], rgba[4 * i + 2]);
            mean += texels[i];
        }
        mean /= 16;
        var axis = LineFit.PrincipalAxis(texels, mean);
        if (axis == Vector3.Zero)
        {
            WriteSolid(rgba, block);
            return;
        }
        float low = float.PositiveInfinity, high = float.NegativeInfinity;
        foreach (var t in texels)
        {
            float d = Vector3.Dot(t - mean, axis);
            low = MathF.Min(low, d);
            high = MathF.Max(high, d);
        }
        // Pulled in a little: the two colours between the ends then sit nearer to where texels are.
        float inset = (high - low) / 32;
        var (first, second) = (Quantise(mean + axis * (high - inset)), Quantise(mean + axis * (low + inset)));
        float error = Fit(texels, first, second, out uint indices);
        for (int round = 0; round < RefineRounds; round++)
        {
            if (!Solve(texels, indices, out var a, out var b))
                break;
            Vector3 qa = Quantise(a), qb = Quantise(b);
            float refined = Fit(texels, qa, qb, out uint newIndices);
            if (refined >= error)
                break;
            (first, second, error, indices) = (qa, qb, refined, newIndices);
        }
        Nudge(texels, ref first, ref second, ref error, ref indices);
        Write(first, second, indices, block);
    }

    /// <summary>Decodes 8 bytes into 16 RGBA texels, the three-colour form with its transparent black included.</summary>
    public static void Decode(ReadOnlySpan<byte> block, Span<byte> rgba)
    {
        ushort first = BinaryPrimitives.ReadUInt16LittleEndian(block), second = BinaryPrimitives.ReadUInt16LittleEndian(block[2..]);
        uint indices = BinaryPrimitives.ReadUInt32LittleEndian(block[4..]);
        Span<byte> palette = stackalloc byte[16];
        for (int c = 0; c < 3; c++)
        {
            int a = Expand(first, c), b = Expand(second, c);
            palette[c] = (byte)a;
            palette[4 + c] = (byte)b;
            palette[8 + c] = (byte)(first > second ? (2 * a + b + 1) / 3 : (a + b + 1) / 2);
            palette[12 + c] = (byte)(first > second ? (a + 2 * b + 1) / 3 : 0);
        }
        palette[3] = palette[7] = palette[11] = 255;
        palette[15] = (byte)(first > second ? 255 : 0);
        for (int i = 0; i < 16; i++)
            palette.Slice((int)(indices >> (2 * i) & 3) * 4, 4).CopyTo(rgba[(4 * i)..]);
    }

    private static int Expand(int packed, int channel)
    {
        int five = channel == 0 ? packed >> 11 : packed & 31, six = packed >> 5 & 63;
        return channel == 1 ? six << 2 | six >> 4 : five << 3 | five >> 2;
    }

    // Ends as they decode, so that fitting sees what the card sees.
    private static Vector3 Quantise(Vector3 colour)
    {
        int r = Round(colour.X, 31), g = Round(colour.Y, 63), b = Round(colour.Z, 31);
        return new Vector3(r << 3 | r >> 2, g << 2 | g >> 4, b << 3 | b >> 2);

        static int Round(float value, int largest) => (int)Math.Clamp(value * largest / 255 + 0.5f, 0, largest);
    }

    private static int Pack(Vector3 colour) => (int)colour.X >> 3 << 11 | (int)colour.Y >> 2 << 5 | (int)colour.Z >> 3;

    private static float Fit(ReadOnlySpan<Vector3> texels, Vector3 first, Vector3 second, out uint indices)
    {
        var line = second - first;
        float length = line.LengthSquared(), scale = length > 0 ? 3 / length : 0, sum = 0;
        Vector3 third = (2 * first + second) / 3, fourth = (first + 2 * second) / 3;
        indices = 0;
        for (int i = 0; i < 16; i++)
        {
            // Steps 0 to 3 from first to second are stored as 0, 2, 3, 1.
            int step = (int)Math.Clamp(Vector3.Dot(texels[i] - first, line) * scale + 0.5f, 0, 3);
            var colour = step switch { 0 => first, 1 => third, 2 => fourth, _ => second };
            sum += (texels[i] - colour).LengthSquared();
            indices |= (uint)(step == 0 ? 0 : step == 3 ? 1 : step + 1) << (2 * i);
        }
        return sum;
    }

    private static bool Solve(ReadOnlySpan<Vector3> texels, uint indices, out Vector3 first, out Vector3 second)
    {
        float aa = 0, ab = 0, bb = 0;
        Vector3 ax = Vector3.Zero, bx = Vector3.Zero;
        for (int i = 0; i < 16; i++)
        {
            float b = (indices >> (2 * i) & 3) switch { 0 => 0, 1 => 1, 2 => 1 / 3f, _ => 2 / 3f }, a = 1 - b;
            aa += a * a;
            ab += a * b;
            bb += b * b;
            ax += a * texels[i];
            bx += b * texels[i];
        }
        float determinant = aa * bb - ab * ab;
        first = second = default;
        if (MathF.Abs(determinant) < 1e-6f)
            return false;
        first = (ax * bb - bx * ab) / determinant;
        second = (bx * aa - ax * ab) / determinant;
        return true;
    }

    // One code up or down in each channel of each end, as long as it helps.
    private static void Nudge(ReadOnlySpan<Vector3> texels, ref Vector3 first, ref Vector3 second, ref float error, ref uint indices)
    {
        bool better = true;
        for (int round = 0; better && round < 3; round++)
        {
            better = false;
            for (int move = 0; move < 12; move++)
            {
                int channel = move % 3;
                var step = Vector3.Zero;
                step[channel] = (move / 3 % 2 == 0 ? 1 : -1) * (channel == 1 ? 255 / 63f : 255 / 31f);
                Vector3 a = move < 6 ? Quantise(first + step) : first, b = move < 6 ? second : Quantise(second + step);
                float candidate = Fit(texels, a, b, out uint newIndices);
                if (candidate < error)
                {
                    (first, second, error, indices) = (a, b, candidate, newIndices);
                    better = true;
                }
            }
        }
    }

    private static void Write(Vector3 first, Vector3 second, uint indices, Span<byte> block)
    {
        int a = Pack(first), b = Pack(second);
        if (a < b)
        {
            // The larger end comes first in the four-colour form; swapping turns 0↔1 and 2↔3.
            (a, b) = (b, a);
            indices ^= 0x55555555;
        }
        else if (a == b)
        {
            indices = 0;
        }
        BinaryPrimitives.WriteUInt16LittleEndian(block, (ushort)a);
        BinaryPrimitives.WriteUInt16LittleEndian(block[2..], (ushort)b);
        BinaryPrimitives.WriteUInt32LittleEndian(block[4..], indices);
    }

    private static void WriteSolid(ReadOnlySpan<byte> rgba, Span<byte> block)
    {
        var (r, g, b) = (Solid5[rgba[0]], Solid6[rgba[1]], Solid5[rgba[2]]);
        int first = r.First << 11 | g.First << 5 | b.First, second = r.Second << 11 | g.Second << 5 | b.Second;
        // All texels at one third of the way.
        uint indices = first == second ? 0u : 0xaaaaaaaa;
        if (first < second)
        {
            (first, second) = (second, first);
            indices = 0xffffffff;
        }
        BinaryPrimitives.WriteUInt16LittleEndian(block, (ushort)first);
        BinaryPrimitives.WriteUInt16LittleEndian(block[2..], (ushort)second);
        BinaryPrimitives.WriteUInt32LittleEndian(block[4..], indices);
    }

    private static (byte, byte)[] SolidTable(int largest)
    {
        var table = new (byte, byte)[256];
        for (int value = 0; value < 256; value++)
        {
            int best = int.MaxValue;
            for (int a = 0; a <= largest; a++)
            {
                for (int b = 0; b <= largest; b++)
                {
                    int ea = largest == 31 ? a << 3 | a >> 2 : a << 2 | a >> 4, eb = largest == 31 ? b << 3 | b >> 2 : b << 2 | b >> 4;
                    // Close ends break ties: cards differ in how they round between far ones.
                    int cost = Math.Abs((2 * ea + eb + 1) / 3 - value) * 1000 + Math.Abs(ea - eb);
                    if (cost < best)
                        (best, table[value]) = (cost, ((byte)a, (byte)b));
                }
            }
        }
        return table;
    }
}
