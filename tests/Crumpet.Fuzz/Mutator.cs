using System.Buffers.Binary;
using System.Text;

namespace Crumpet.Fuzz;

/// <summary>Breaks files: flips, cuts, repeats, splices, and puts in numbers and words that readers stumble over. Same seed, same inputs.</summary>
internal sealed class Mutator(ulong seed, IReadOnlyList<byte[]> seeds)
{
    private const int Largest = 1 << 17;
    private const int MostKept = 400;
    private static readonly long[] Numbers = [0, 1, -1, 127, 128, 255, 256, 32767, 32768, 65535, 65536, int.MaxValue, int.MinValue, uint.MaxValue,
        3_000_000_000, 100_000, 0x7f800000, 0x7fc00000];

    private static readonly byte[][] Words =
        [.. new[] { "nan", "inf", "-1", "0", "1e39", "1e-50", "99999999999", "2147483648", "-2147483648", "/", "//", "\\", "\n", "\r", "\0", "f 1 2 3\n",
            "v 0 0 0\n", "{", "}", "[", "]", "\"", ",", "null", "1e308", "-0", "#", " ", "../../x", "\u00fc" }.Select(Encoding.UTF8.GetBytes)];

    private readonly List<byte[]> pool = [.. seeds];
    private ulong state = seed * 0x9e3779b97f4a7c15 + 1;

    /// <summary>The next input.</summary>
    public byte[] Next()
    {
        var bytes = new List<byte>(Pick());
        int times = 1 << Below(5);
        for (int i = 0; i < times; i++)
            Change(bytes);
        return bytes.Count > Largest ? bytes.GetRange(0, Largest).ToArray() : [.. bytes];
    }

    /// <summary>Keeps an input that was read: what comes of it may reach further.</summary>
    public void Keep(byte[] input)
    {
        if (input.Length >= Largest)
            return;
        if (pool.Count < MostKept)
            pool.Add(input);
        else
            pool[seeds.Count + Below(MostKept - seeds.Count)] = input;
    }

    private byte[] Pick() => pool[Below(2) == 0 ? Below(seeds.Count) : Below(pool.Count)];

    private void Change(List<byte> bytes)
    {
        if (bytes.Count == 0)
        {
            bytes.Add((byte)Below(256));
            return;
        }
        int at = Below(bytes.Count);
        // Headers decide most, so they are broken most.
        if (Below(3) == 0)
            at = Below(Math.Min(bytes.Count, 128));
        switch (Below(9))
        {
            case 0:
                bytes[at] ^= (byte)(1 << Below(8));
                break;
            case 1:
                bytes[at] = (byte)Below(256);
                break;
            case 2:
                bytes.RemoveRange(at, Math.Min(bytes.Count - at, 1 + Below(Below(4) == 0 ? 256 : 8)));
                break;
            case 3:
                bytes.InsertRange(at, bytes.GetRange(at, Math.Min(bytes.Count - at, 1 + Below(64))));
                break;
            case 4:
                PutNumber(bytes, at);
                break;
            case 5:
                bytes.InsertRange(at, Words[Below(Words.Length)]);
                break;
            case 6:
                bytes.RemoveRange(at, bytes.Count - at);
                break;
            case 7:
                byte[] other = Pick();
                int from = other.Length == 0 ? 0 : Below(other.Length);
                bytes.InsertRange(at, other.AsSpan(from, Math.Min(other.Length - from, Below(512))).ToArray());
                break;
            default:
                ReplaceDigits(bytes, at);
                break;
        }
    }

    private void PutNumber(List<byte> bytes, int at)
    {
        Span<byte> word = stackalloc byte[8];
        long number = Numbers[Below(Numbers.Length)];
        if (Below(2) == 0)
            BinaryPrimitives.WriteInt64LittleEndian(word, number);
        else
            BinaryPrimitives.WriteInt64BigEndian(word, number << 32);
        int width = 1 << Below(4);
        for (int i = 0; i < width && at + i < bytes.Count; i++)
            bytes[at + i] = word[i];
    }

    private void ReplaceDigits(List<byte> bytes, int at)
    {
        while (at < bytes.Count && bytes[at] is < (byte)'0' or > (byte)'9')
            at++;
        int end = at;
        while (end < bytes.Count && bytes[end] is >= (byte)'0' and <= (byte)'9')
            end++;
        if (end == at)
            return;
        bytes.RemoveRange(at, end - at);
        bytes.InsertRange(at, Encoding.ASCII.GetBytes(Numbers[Below(Numbers.Length)].ToString(System.Globalization.CultureInfo.InvariantCulture)));
    }

    private int Below(int count)
    {
        // Source: G. Marsaglia, "Xorshift RNGs", 2003, with the star scrambler.
        state ^= state >> 12;
        state ^= state << 25;
        state ^= state >> 27;
        return (int)((state * 0x2545f4914f6cdd1d >> 33) % (ulong)count);
    }
}
