using System.Numerics;
using Crumpet.Core.Tracing;

namespace Crumpet.Core.Bake;

/// <summary>Where one sample's ray met the high side, and what is there: what maps are made of. Whatever takes work is found when a map asks, once.</summary>
/// <param name="bake">Whose sample it is.</param>
internal sealed class SurfaceSample(PartBake bake)
{
    private HighObject source = null!;
    private int number, triangle, sequence;
    private uint seed;
    private Hit hit;
    private Vector3 weights, normal, smooth, flat;
    private Vector4 tangent;
    private bool hasFrame, hasLight, hasDetail, hasCurvature;
    private float openness, curvature;
    private Vector3 openDirection, detail;

    /// <summary>Rays cast for light, and through the solid, since the tile began.</summary>
    public long LightRays { get; set; }

    /// <inheritdoc cref="LightRays"/>
    public long ThicknessRays { get; set; }

    /// <summary>Place on the high surface.</summary>
    public Vector3 Point { get; private set; }

    /// <summary>Signed distance from the low to the high surface, metres.</summary>
    public float Height { get; private set; }

    /// <summary>Goes to another sample.</summary>
    /// <param name="met">What its ray met.</param>
    /// <param name="normals">Shading normal and flat normal there.</param>
    /// <param name="low">Low triangle it starts from, and the weights of its corners.</param>
    /// <param name="height">Signed distance from the low surface, metres.</param>
    /// <param name="random">Number of the sample in its texel, and the texel's seed.</param>
    public void Set(in Hit met, (Vector3 Smooth, Vector3 Flat) normals, (int Triangle, Vector3 Weights) low, float height, (int Sample, uint Seed) random)
    {
        hit = met;
        (smooth, flat) = normals;
        (triangle, weights) = low;
        (sequence, seed) = random;
        Height = height;
        Point = bake.Scene.High.PointAt(hit);
        (source, number) = bake.Scene.High.Find(hit.Triangle);
        hasFrame = hasLight = hasDetail = hasCurvature = false;
    }

    /// <summary>Normal with what normal textures add.</summary>
    public Vector3 DetailedNormal
    {
        get
        {
            if (!hasDetail)
                (detail, hasDetail) = (bake.Attributes.Normals.At(bake.Scene.High, source.Mesh, number, hit, smooth), true);
            return detail;
        }
    }

    /// <summary>Share of the hemisphere that nothing blocks.</summary>
    public float Openness
    {
        get
        {
            CastLight();
            return openness;
        }
    }

    /// <summary>Unit mean of the open directions.</summary>
    public Vector3 OpenDirection
    {
        get
        {
            CastLight();
            return openDirection;
        }
    }

    /// <summary>Mean way through the solid, metres; cast each time.</summary>
    public float Thickness
    {
        get
        {
            int rays = bake.RaysASample(bake.Settings.ThicknessRays);
            float thickness = bake.Light.Thickness(bake.Scene.Own().Bvh, Point, flat, smooth, ((uint)(sequence * rays), ~seed), rays, out int cast);
            ThicknessRays += cast;
            return thickness;
        }
    }

    /// <summary>Mean curvature, 1/m.</summary>
    public float Curvature
    {
        get
        {
            if (!hasCurvature)
                (curvature, hasCurvature) = (bake.Attributes.Curvature(source.Mesh, number, hit), true);
            return curvature;
        }
    }

    /// <summary>Number of the label.</summary>
    public int Label => bake.Attributes.Label(source, number, hit);

    /// <summary>Linear vertex colour.</summary>
    public Vector3 VertexColour => HighAttributes.VertexColour(source.Mesh, number, hit);

    /// <summary>Linear colour of the material.</summary>
    public Vector3 BaseColour
    {
        get
        {
            var colour = bake.Attributes.Textures.Colour(source.Mesh, number, hit);
            return new Vector3(colour.X, colour.Y, colour.Z);
        }
    }

    /// <summary>Roughness of the material.</summary>
    public float Roughness => bake.Attributes.Textures.Roughness(source.Mesh, number, hit);

    /// <summary>Metalness of the material.</summary>
    public float Metalness => bake.Attributes.Textures.Metalness(source.Mesh, number, hit);

    /// <summary>Linear light the material gives off.</summary>
    public Vector3 Emission => bake.Attributes.Textures.Emission(source.Mesh, number, hit);

    /// <summary>Opacity of the material; 1 where any surface is opaque.</summary>
    public float Opacity => bake.Settings.OpacityBy == OpacitySource.Alpha ? bake.Attributes.Textures.Opacity(source.Mesh, number, hit) : 1;

    /// <summary>A direction in the tangent space of the low surface.</summary>
    public Vector3 InTangentSpace(Vector3 direction)
    {
        if (!hasFrame)
        {
            normal = LowSurface.Blend(bake.Scene.Low.Normals, triangle, weights);
            tangent = bake.Scene.Low.BlendTangent(triangle, weights);
            hasFrame = true;
        }
        return NormalEncoding.ToTangentSpace(direction, normal, tangent);
    }

    private void CastLight()
    {
        if (hasLight)
            return;
        hasLight = true;
        int rays = bake.RaysASample(bake.Settings.OcclusionRays);
        openness = bake.Light.Openness(bake.Scene.Occluders!.Bvh, Point, flat, smooth, ((uint)(sequence * rays), seed), rays, out var open, out int cast);
        openDirection = open.LengthSquared() > 0 ? Vector3.Normalize(open) : smooth;
        LightRays += cast;
    }
}
