using System.Globalization;
using System.Text;
using System.Text.RegularExpressions;

namespace Crumpet.Core.Imaging;

/// <summary>Reads Radiance pictures (.hdr): linear colour with a shared exponent.</summary>
/// <remarks>Source: G. Ward, "Real Pixels", Graphics Gems II, 1991, and the Radiance reference manual's picture format.</remarks>
public static partial class HdrReader
{
    private const int LongestHeader = 1 << 16;

    /// <summary>Reads a picture as linear RGB floats.</summary>
    /// <param name="bytes">The file.</param>
    /// <param name="fileName">Name for messages.</param>
    /// <exception cref="SourceFileException">The header cannot be read, or the data is cut.</exception>
    public static Bitmap32 Read(byte[] bytes, string fileName)
    {
        int at = 0;
        string line;
        // The header ends with an empty line; the size follows.
        while ((line = Line()).Length > 0)
        {
            if (line.StartsWith("FORMAT=", StringComparison.Ordinal) && line is not "FORMAT=32-bit_rle_rgbe")
                throw Wrong(fileName, $"its pixels are stored as {line["FORMAT=".Length..]}");
        }
        var size = Size().Match(Line());
        if (!size.Success)
            throw Wrong(fileName, "its header gives no size");
        int first = Number(size.Groups[3].Value), second = Number(size.Groups[6].Value);
        bool rowsFirst = size.Groups[2].Value == "Y";
        int width = rowsFirst ? second : first, height = rowsFirst ? first : second;
        if (!rowsFirst || size.Groups[5].Value != "X")
            throw Wrong(fileName, "its rows run from top to bottom");
        ImageFile.CheckSize(fileName, width, height, 3 * sizeof(float));
        // A run covers at most 127 values in two bytes.
        if ((long)width * height * 4 / 64 > bytes.Length)
            throw Wrong(fileName, $"{width} × {height} px cannot be in {bytes.Length} bytes");
        bool fromBottom = size.Groups[1].Value == "+", fromRight = size.Groups[4].Value == "-";
        var picture = new Bitmap32(width, height, 3);
        var row = new byte[4 * width];
        for (int j = 0; j < height; j++)
        {
            at = ReadRow(bytes, at, row, width, fileName);
            int y = fromBottom ? height - 1 - j : j;
            for (int i = 0; i < width; i++)
            {
                int x = fromRight ? width - 1 - i : i;
                float scale = row[4 * i + 3] == 0 ? 0 : MathF.ScaleB(1, row[4 * i + 3] - 136);
                for (int c = 0; c < 3; c++)
                    picture.Pixels[3 * (y * width + x) + c] = row[4 * i + c] * scale;
            }
        }
        return picture;

        string Line()
        {
            int length = bytes.AsSpan(at, Math.Min(LongestHeader, bytes.Length - at)).IndexOf((byte)'\n');
            if (length < 0 || at > LongestHeader)
                throw Wrong(fileName, "its header has no end");
            string text = Encoding.Latin1.GetString(bytes, at, length).TrimEnd('\r');
            at += length + 1;
            return text;
        }

        int Number(string digits) => int.TryParse(digits, NumberStyles.None, CultureInfo.InvariantCulture, out int value) ? value
            : throw Wrong(fileName, $"its size {digits} is no usable number");
    }

    private static int ReadRow(byte[] bytes, int at, byte[] row, int width, string fileName)
    {
        bool byChannel = width is >= 8 and < 32768 && bytes.Length - at >= 4 && bytes[at] == 2 && bytes[at + 1] == 2 && bytes[at + 2] * 256
            + bytes[at + 3] == width;
        if (!byChannel)
            return ReadPlainRow(bytes, at, row, fileName);
        at += 4;
        for (int channel = 0; channel < 4; channel++)
        {
            for (int i = 0; i < width;)
            {
                if (bytes.Length - at < 2)
                    throw Wrong(fileName, "its data ends before the last row");
                int count = bytes[at++];
                bool run = count > 128;
                count = run ? count - 128 : count;
                if (count == 0 || count > width - i || (run ? 1 : count) > bytes.Length - at)
                    throw Wrong(fileName, "a run leaves its row");
                for (int k = 0; k < count; k++)
                    row[4 * i++ + channel] = bytes[run ? at : at + k];
                at += run ? 1 : count;
            }
        }
        return at;
    }

    /// <summary>Pixels one by one; a pixel of (1, 1, 1, n) repeats the one before it.</summary>
    private static int ReadPlainRow(byte[] bytes, int at, byte[] row, string fileName)
    {
        int shift = 0;
        for (int i = 0; i < row.Length;)
        {
            if (bytes.Length - at < 4)
                throw Wrong(fileName, "its data ends before the last row");
            var pixel = bytes.AsSpan(at, 4);
            at += 4;
            if (i > 0 && pixel[0] == 1 && pixel[1] == 1 && pixel[2] == 1)
            {
                long count = shift > 24 ? 0 : (long)pixel[3] << shift;
                shift += 8;
                if (4 * count > row.Length - i)
                    throw Wrong(fileName, "a run leaves its row");
                for (long k = 0; k < count; k++, i += 4)
                    row.AsSpan(i - 4, 4).CopyTo(row.AsSpan(i));
                continue;
            }
            shift = 0;
            pixel.CopyTo(row.AsSpan(i));
            i += 4;
        }
        return at;
    }

    private static SourceFileException Wrong(string fileName, string what) => new(fileName, "", what, "Save it again as Radiance HDR or OpenEXR");

    [GeneratedRegex(@"^([-+])([XY]) (\d+) ([-+])([XY]) (\d+)$")]
    private static partial Regex Size();
}
