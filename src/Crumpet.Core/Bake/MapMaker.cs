using System.Numerics;
using Crumpet.Core.Checking;
using Crumpet.Core.Imaging;

namespace Crumpet.Core.Bake;

/// <summary>What a map is made from.</summary>
public enum MadeOf
{
    /// <summary>A height map.</summary>
    Height,

    /// <summary>A tangent-space normal map.</summary>
    Normal,
}

/// <summary>A map made from another one, where there is no high side.</summary>
/// <param name="File">Name of the texture it is made from.</param>
/// <param name="From">What that is.</param>
/// <param name="To">Normal, occlusion or curvature.</param>
public sealed record MadeMap([property: Words("The texture a map is made from", FieldRules.LongestName)] string File, MadeOf From, BakeMap To) : IChecked
{
    /// <summary>What forms and commands begin with.</summary>
    public static MadeMap Plain { get; } = new("", MadeOf.Height, BakeMap.Normal);

    /// <summary>How many texels white stands above black in a height map.</summary>
    [Within("The strength of a map that is made", -10_000, 10_000, Unit = "px")]
    public float Strength { get; init; } = 8;

    /// <summary>How far occlusion reaches, or over how much curvature is averaged, texels.</summary>
    [Within("The radius of a map that is made", 1, 1024, Unit = "px")]
    public int RadiusPixels { get; init; } = 16;

    /// <summary>Whether the picture goes on at its opposite edge.</summary>
    public bool Wrap { get; init; } = true;

    /// <summary>What is wrong with it, one sentence, or null.</summary>
    public string? Problem() => FieldRules.Problem(this);

    /// <inheritdoc/>
    public string? ProblemTogether() => this switch
    {
        { To.MadeFrom.Count: 0 } =>
            $"{To.Label} cannot be made from another map; {string.Join(", ", BakeMaps.All.Where(m => m.MadeFrom.Count > 0).Select(m => m.Label))} can.",
        _ when !To.MadeFrom.Contains(From) =>
            $"A {To.Label} map is made from a {string.Join(" or ", To.MadeFrom.Select(m => m.ToString().ToLowerInvariant()))} map, not from a "
            + $"{From.ToString().ToLowerInvariant()} map.",
        _ => null,
    };
}

/// <summary>Makes maps from maps.</summary>
public static class MapMaker
{
    // Kernel of slopes, texels across.
    private const int Kernel = 3;

    /// <summary>Makes a map of the source's size, 16 bits a channel.</summary>
    /// <param name="made">What is made; without a <see cref="MadeMap.Problem"/>.</param>
    /// <param name="source">The picture it is made from.</param>
    /// <param name="green">Direction of green, in the source and in the result.</param>
    /// <param name="threads">Threads to use; the result does not depend on them.</param>
    /// <param name="cancel">Ends the work early.</param>
    public static Bitmap Make(MadeMap made, Bitmap source, GreenDirection green, int threads, CancellationToken cancel)
    {
        if (made.Problem() is { } problem)
            throw new ArgumentException(problem, nameof(made));
        bool greenUp = green == GreenDirection.Up;
        if (made.From == MadeOf.Height && made.To == BakeMap.Normal)
            return HeightToNormal.Convert(Wide(source), made.Strength, Kernel, made.Wrap, greenUp, cancel);
        var normals = made.From == MadeOf.Normal ? MadeMaps.Normals(source, greenUp) : [];
        if (made.To == BakeMap.Occlusion)
        {
            var heights = made.From == MadeOf.Normal ? HeightsOf(normals, source.Width, source.Height, cancel) : Heights(source, made.Strength);
            return Grey(source, MadeMaps.Occlusion(heights, source.Width, made.RadiusPixels, made.Wrap, threads, cancel));
        }
        if (made.From == MadeOf.Height)
            normals = MadeMaps.Normals(HeightToNormal.Convert(Wide(source), made.Strength, Kernel, made.Wrap, true, cancel), true);
        // Half is flat; a bump as wide as the radius is white.
        int radius = Math.Max(1, made.RadiusPixels / 4);
        var curvature = MadeMaps.Curvature(normals, source.Width, radius, made.Wrap, threads, cancel);
        return Grey(source, Array.ConvertAll(curvature, c => 0.5f + 0.5f * c * made.RadiusPixels));
    }

    private static float[] Heights(Bitmap source, float strength)
    {
        var heights = new float[source.Width * source.Height];
        for (int i = 0; i < heights.Length; i++)
            heights[i] = source.Unit(i % source.Width, i / source.Width, 0) * strength;
        return heights;
    }

    /// <summary>Heights of any picture: mirrored up to the next powers of two, so that no edge comes in where it ends.</summary>
    private static float[] HeightsOf(Vector3[] normals, int width, int height, CancellationToken cancel)
    {
        if (BitOperations.IsPow2(width) && BitOperations.IsPow2(height))
            return MadeMaps.Heights(normals, width, cancel);
        int across = (int)BitOperations.RoundUpToPowerOf2((uint)width), down = (int)BitOperations.RoundUpToPowerOf2((uint)height);
        var larger = new Vector3[across * down];
        for (int i = 0; i < larger.Length; i++)
        {
            int x = i % across, y = i / across;
            bool overX = x >= width, overY = y >= height;
            var n = normals[(overY ? 2 * height - 1 - y : y) * width + (overX ? 2 * width - 1 - x : x)];
            larger[i] = new Vector3(overX ? -n.X : n.X, overY ? -n.Y : n.Y, n.Z);
        }
        var heights = MadeMaps.Heights(larger, across, cancel);
        return [.. Enumerable.Range(0, width * height).Select(i => heights[i / width * across + i % width])];
    }

    private static Bitmap16 Grey(Bitmap source, float[] shares) =>
        new(source.Width, source.Height, 1, Array.ConvertAll(shares, s => (ushort)(Math.Clamp(s, 0, 1) * 65535 + 0.5f)));

    /// <summary>The same with at least 16 bits, so that slopes are not steps.</summary>
    private static Bitmap Wide(Bitmap source) =>
        source.Bits == 8 ? PictureOps.FromUnits(source.Width, source.Height, source.Channels, 16, PictureOps.Units(source)) : source;
}
