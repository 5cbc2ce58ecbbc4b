using Crumpet.Core.Imaging;

namespace Crumpet.Core.Convert;

/// <summary>The six sides of a cube unfolded into one picture, for looking at.</summary>
public static class CubeNet
{
    /// <summary>Sides across and down.</summary>
    public const int Across = 4, Down = 3;

    // Where +X, −X, +Y, −Y, +Z and −Z lie: +Z in front, so that neighbours in the picture meet as they do on the cube.
    private static readonly (int Column, int Row)[] Places = [(2, 1), (0, 1), (1, 0), (1, 2), (1, 1), (3, 1)];

    /// <summary>Lays six sides out as a cross; what lies outside is 0 in all channels.</summary>
    /// <param name="sides">+X, −X, +Y, −Y, +Z, −Z: squares of one size, channels and kind of number.</param>
    /// <exception cref="ArgumentException">They are not.</exception>
    public static Bitmap Unfold(IReadOnlyList<Bitmap> sides)
    {
        ArgumentOutOfRangeException.ThrowIfNotEqual(sides.Count, Places.Length, nameof(sides));
        return sides[0] switch
        {
            Bitmap8 => Unfold(sides.Cast<Bitmap8>(), b => b.Pixels, (w, h, c, p) => new Bitmap8(w, h, c, p)),
            Bitmap32 => Unfold(sides.Cast<Bitmap32>(), b => b.Pixels, (w, h, c, p) => new Bitmap32(w, h, c, p)),
            _ => throw new ArgumentException("Sides are decoded to bytes or to numbers.", nameof(sides)),
        };
    }

    private static TBitmap Unfold<TBitmap, T>(IEnumerable<TBitmap> given, Func<TBitmap, T[]> pixels, Func<int, int, int, T[], TBitmap> make)
        where TBitmap : Bitmap
    {
        TBitmap[] sides = [.. given];
        int side = sides[0].Width, channels = sides[0].Channels, stride = Across * side * channels;
        if (sides.Any(s => s.Width != side || s.Height != side || s.Channels != channels))
            throw new ArgumentException("The sides of a cube are squares of one size.", nameof(given));
        var all = new T[checked(stride * Down * side)];
        for (int i = 0; i < sides.Length; i++)
        {
            var (column, row) = Places[i];
            for (int y = 0; y < side; y++)
                pixels(sides[i]).AsSpan(y * side * channels, side * channels).CopyTo(all.AsSpan((row * side + y) * stride + column * side * channels));
        }
        return make(Across * side, Down * side, channels, all);
    }
}
