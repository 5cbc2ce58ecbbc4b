using System.Numerics;
using Crumpet.Core.Geometry;
using Crumpet.Core.Imaging;
using Crumpet.Core.Pairs;
using Crumpet.Core.Tracing;

namespace Crumpet.Core.Bake;

/// <summary>A named piece of the asset with its low objects and the high objects baked onto them.</summary>
/// <param name="Name">Name of the part.</param>
/// <param name="Low">Low objects; all have UVs.</param>
/// <param name="High">High objects.</param>
public sealed record BakePart(string Name, IReadOnlyList<Mesh> Low, IReadOnlyList<Mesh> High)
{
    /// <summary>How far outside the low surface its rays start, metres; null as in the settings.</summary>
    public float? OutwardReachMetres { get; init; }

    /// <summary>How far inside the low surface its rays end, metres; null as in the settings.</summary>
    public float? InwardReachMetres { get; init; }

    /// <summary>Where rays of each low object come from; null for smooth directions and the reaches.</summary>
    public IReadOnlyList<LowRays>? Rays { get; init; }

    /// <summary>Box of its high side, metres.</summary>
    internal Bounds HighBounds => High.Aggregate(Bounds.Empty, (b, m) => b.Including(m.Bounds()));

    /// <summary>The part with every length that is not said, as measured.</summary>
    internal BakePart Fitted(BakeSettings settings, int threads, CancellationToken cancel)
    {
        var fitted = this with { OcclusionRangeMetres = OcclusionRangeMetres ?? PartViews.OcclusionRange(settings, HighBounds) };
        float? outward = OutwardReachMetres ?? settings.OutwardReachMetres, inward = InwardReachMetres ?? settings.InwardReachMetres;
        if ((outward is null || inward is null) && Rays is null && Low.Count > 0 && High.Count > 0)
        {
            var asked = new RaysSettings(CageKind.Reach, RayDirection.Smooth, 0, outward, inward, 0, []);
            var reach = PartRays.Build(asked, Low, SurfaceTree.Build(High), [], threads, cancel).Report.Reach;
            (outward, inward) = (reach.OutwardReachMetres, reach.InwardReachMetres);
        }
        return fitted with { OutwardReachMetres = outward ?? 0, InwardReachMetres = inward ?? (Rays is null ? 0 : RaysRoom.Of(Rays).InwardMetres) };
    }

    /// <summary>Whether rays end where the high side was measured to end, so that a hit near their end is no fault.</summary>
    public bool EndsAreFitted { get; init; }

    /// <summary>How far away something still occludes, metres; 0 for any distance, null as in the settings.</summary>
    public float? OcclusionRangeMetres { get; init; }

    /// <summary>What blocks its light; null as in the settings.</summary>
    public Occluders? Sees { get; init; }
}

/// <summary>Parts that are baked together and see each other.</summary>
/// <param name="Parts">Indices into <see cref="BakeInput.Parts"/>.</param>
public sealed record BakeTray(IReadOnlyList<int> Parts);

/// <summary>A material of the high side with its pictures.</summary>
/// <param name="Source">What the source says.</param>
/// <param name="Textures">Pictures that were found, by slot.</param>
public sealed record BakeMaterial(Material Source, IReadOnlyDictionary<TextureKind, BakeTexture> Textures);

/// <summary>A picture a material uses.</summary>
/// <param name="Picture">Pixels.</param>
/// <param name="UvSet">UV set it is laid out by.</param>
/// <param name="UvTransform">How UVs are moved before it is looked up.</param>
public sealed record BakeTexture(Bitmap Picture, int UvSet, Matrix3x2 UvTransform);

/// <summary>Everything a bake of one sheet needs.</summary>
/// <param name="Sheet">Name of the sheet.</param>
/// <param name="Parts">Parts with geometry.</param>
/// <param name="Trays">Every part is on exactly one.</param>
/// <param name="Material">Only low triangles of this material belong to the sheet; null for all.</param>
public sealed record BakeInput(string Sheet, IReadOnlyList<BakePart> Parts, IReadOnlyList<BakeTray> Trays, int? Material = null)
{
    /// <summary>Direction of green in tangent-space maps.</summary>
    public GreenDirection Green { get; init; }

    /// <summary>Materials of the high side, as its triangles number them.</summary>
    public IReadOnlyList<BakeMaterial> Materials { get; init; } = [];

    /// <summary>Bounds of the asset: what position is measured in, and where the ground is; null takes those of the high side.</summary>
    public Bounds? AssetBounds { get; init; }

    internal Bounds Bounds => AssetBounds ?? Parts.SelectMany(p => p.High).Aggregate(Geometry.Bounds.Empty, (b, m) => b.Including(m.Bounds()));
}
