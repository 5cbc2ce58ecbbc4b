using System.Numerics;
using Crumpet.Core.Imaging;

namespace Crumpet.Core.Pack;

/// <summary>Works tangent-space normals: steeper or flatter, with a detail laid on, with green turned.</summary>
internal static class NormalWorking
{
    private const float LeastUp = 1e-3f;

    /// <summary>A normal map as an output asks for it; its vectors have length 1.</summary>
    /// <remarks>
    /// A detail is laid on by turning it as the base is turned against straight up, so neither flattens the other.
    /// Source: C. Barré-Brisebois, S. Hill, "Blending in Detail", 2012 (reoriented normals).
    /// </remarks>
    /// <param name="source">The base, three channels or more.</param>
    /// <param name="detail">Normals laid onto it, of the same size or one value; null for none.</param>
    /// <param name="work">What is done.</param>
    /// <param name="options">Threads, and what ends the work early.</param>
    public static PackSource Apply(PackSource source, PackSource? detail, NormalWork work, ParallelOptions options)
    {
        var picture = source.Picture;
        var result = new Bitmap32(picture.Width, picture.Height, picture.Channels);
        // What is only turned keeps its lengths, so that every other code stays as it is.
        bool isOnlyTurned = work.Strength == 1 && detail is null;
        Parallel.For(0, picture.Height, options, y =>
        {
            for (int x = 0; x < picture.Width; x++)
            {
                var normal = isOnlyTurned ? Stored(source, x, y) : Steeper(At(source, x, y), (float)work.Strength);
                if (detail is not null)
                {
                    bool isOne = detail.IsOneValue;
                    normal = Laid(normal, Steeper(At(detail, isOne ? 0 : x, isOne ? 0 : y), (float)work.DetailStrength));
                }
                if (work.TurnGreen == true)
                    normal.Y = -normal.Y;
                int at = (y * picture.Width + x) * picture.Channels;
                (result.Pixels[at], result.Pixels[at + 1], result.Pixels[at + 2]) = (normal.X, normal.Y, normal.Z);
                if (picture.Channels == 4)
                    result.Pixels[at + 3] = picture.Unit(x, y, 3);
            }
        });
        return new PackSource(result, ColourMeaning.Normal) { Shown = (value, channel) => channel < 3 ? value * 0.5f + 0.5f : value };
    }

    /// <summary>
    /// Whether green of an output's normals is turned: as was decided, or where a map came otherwise than the target wants it. What its picture does
    /// not tell is taken as up.
    /// </summary>
    /// <param name="output">The output.</param>
    /// <param name="feed">What feeds its green.</param>
    /// <param name="wanted">What the target wants; null for either.</param>
    public static bool Turns(RecipeOutput output, PackFeed? feed, GreenDirection? wanted) => output.Normals?.TurnGreen
        ?? (output.Meaning == ColourMeaning.Normal && feed is { Origin: FeedOrigin.Brought, Channels: >= 3 } && wanted is not null
            && (feed.Green ?? GreenDirection.Up) != wanted);

    /// <summary>The vector of a texel, of length one.</summary>
    private static Vector3 At(PackSource source, int x, int y)
    {
        var normal = Stored(source, x, y);
        return normal.LengthSquared() > 1e-12f ? Vector3.Normalize(normal) : Vector3.UnitZ;
    }

    /// <summary>The vector of a texel as it is stored; floating point holds it as it is.</summary>
    private static Vector3 Stored(PackSource source, int x, int y)
    {
        var picture = source.Picture;
        var stored = new Vector3(picture.Unit(x, y, 0), picture.Unit(x, y, 1), picture.Unit(x, y, 2));
        return picture is Bitmap32 ? stored : 2 * stored - Vector3.One;
    }

    private static Vector3 Steeper(Vector3 normal, float strength) =>
        strength == 1 ? normal : Vector3.Normalize(new Vector3(strength * normal.X, strength * normal.Y, MathF.Max(normal.Z, LeastUp)));

    private static Vector3 Laid(Vector3 one, Vector3 two)
    {
        var t = new Vector3(one.X, one.Y, one.Z + 1);
        if (t.Z < LeastUp)
            return one;
        var u = new Vector3(-two.X, -two.Y, two.Z);
        var blended = t * (Vector3.Dot(t, u) / t.Z) - u;
        return blended.LengthSquared() > 1e-12f ? Vector3.Normalize(blended) : one;
    }
}
