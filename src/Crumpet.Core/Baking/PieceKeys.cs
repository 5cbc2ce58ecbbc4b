using System.Numerics;
using System.Runtime.InteropServices;
using System.Security.Cryptography;
using System.Text;
using System.Text.Json;
using Crumpet.Core.Geometry;
using Crumpet.Core.Pairing;

namespace Crumpet.Core.Baking;

/// <summary>Hashes of objects, each made once.</summary>
internal sealed class ObjectKeys
{
    /// <summary>Of positions, triangles and normals.</summary>
    public Dictionary<Mesh, string> Shapes { get; } = new(ReferenceEqualityComparer.Instance);

    /// <summary>Of colours, materials and UVs.</summary>
    public Dictionary<Mesh, string> Dresses { get; } = new(ReferenceEqualityComparer.Instance);

    /// <summary>Of normal textures; null for objects without.</summary>
    public Dictionary<Mesh, string?> Reliefs { get; } = new(ReferenceEqualityComparer.Instance);
}

/// <summary>Makes the keys of pieces: hashes of all that a part's share of a map can depend on, and of nothing else.</summary>
internal sealed class PieceKeys(BakeInput input, BakeSettings settings, int size, ObjectKeys known)
{
    // Grows whenever the same input gives other bytes.
    private const int Version = 4;

    /// <summary>Key of what a part covers.</summary>
    /// <param name="part">Number of the part.</param>
    /// <param name="stacked">Triangles an earlier part bakes.</param>
    /// <param name="seen">High objects its rays can meet.</param>
    public string Cover(int part, IReadOnlySet<int> stacked, IReadOnlyList<HighObject> seen)
    {
        var own = input.Parts[part];
        return Key("cover", new
        {
            own.Name,
            input.Material,
            stacked = stacked.Order().ToArray(),
            low = own.Low.Select(LowKey).ToArray(),
            rays = own.Rays?.Select(RaysKey).ToArray(),
            outward = own.OutwardReachMetres ?? settings.OutwardReachMetres,
            inward = own.InwardReachMetres ?? settings.InwardReachMetres,
            own.EndsAreFitted,
            size,
            settings.SamplesBaked,
            settings.Filter,
            holes = settings.OpacityBy == OpacitySource.Misses && settings.Maps.Contains(BakeMap.Opacity),
            seen = Objects(seen),
            names = seen.Select(o => input.Parts[o.Part].Name).ToArray(),
        });
    }

    /// <summary>Key of one map of a part.</summary>
    /// <param name="map">Which.</param>
    /// <param name="cover">Key of what the part covers.</param>
    /// <param name="part">Number of the part.</param>
    /// <param name="seen">High objects its rays can meet.</param>
    /// <param name="occluders">What blocks its light.</param>
    public string Map(BakeMap map, string cover, int part, IReadOnlyList<HighObject> seen, IReadOnlyList<HighObject> occluders) => Key(map.Name(), map switch
    {
        BakeMap.Occlusion or BakeMap.BentNormal => (object)new
        {
            cover,
            rays = settings.RaysBaked(settings.OcclusionRays),
            settings.OcclusionRangeMetres,
            settings.OcclusionFalloffMetres,
            settings.BackFacesOcclude,
            ground = settings.GroundOccludes ? input.Bounds.Min.Y : (float?)null,
            denoise = settings.Denoise && Denoising.IsFor(map),
            occluders = Objects(occluders),
        },
        BakeMap.Normal or BakeMap.ObjectNormal when settings.HighNormals != HighNormalUse.LeftOut && Reliefs(seen) is { } reliefs => new { cover, settings.HighNormals, reliefs },
        BakeMap.Thickness => new { cover, rays = settings.RaysBaked(settings.ThicknessRays), settings.ThicknessRangeMetres, settings.Denoise },
        BakeMap.Curvature or BakeMap.Convex or BakeMap.Concave => new { cover, settings.CurvatureRadiusBaked },
        BakeMap.Id => new { cover, settings.IdBy, dresses = Dresses(seen), names = seen.Select(o => o.Mesh.Name).ToArray() },
        BakeMap.Opacity => new { cover, settings.OpacityBy, dresses = Dresses(seen) },
        BakeMap.VertexColour or BakeMap.Colour or BakeMap.Roughness or BakeMap.Metalness or BakeMap.Emission => new { cover, dresses = Dresses(seen) },
        _ => new { cover },
    });

    private static string Key(string step, object of) =>
        Convert.ToHexStringLower(SHA256.HashData(JsonSerializer.SerializeToUtf8Bytes(new { step, Version, of })));

    private string[] Objects(IReadOnlyList<HighObject> objects) => [.. objects.Select(o => ShapeKey(o.Mesh))];

    private string[] Dresses(IReadOnlyList<HighObject> objects) => [.. objects.Select(o => DressKey(o.Mesh))];

    private string LowKey(Mesh mesh) => Hash(h =>
    {
        Shape(h, mesh);
        Append<Vector2>(h, mesh.Uvs ?? []);
        Append<int>(h, mesh.TriangleMaterials);
    });

    private static string RaysKey(LowRays rays) => Hash(h =>
    {
        Append<Vector3>(h, rays.Directions);
        Append<Vector3>(h, rays.Cage ?? []);
        Append<float>(h, rays.Inward);
    });

    private string ShapeKey(Mesh mesh)
    {
        if (!known.Shapes.TryGetValue(mesh, out string? key))
            known.Shapes.Add(mesh, key = Hash(h => Shape(h, mesh)));
        return key;
    }

    /// <summary>Normal textures of an object and how they lie on it; null where it has none.</summary>
    private string? ReliefKey(Mesh mesh)
    {
        if (known.Reliefs.TryGetValue(mesh, out string? key))
            return key;
        var textures = mesh.TriangleMaterials.Distinct().Order().Where(m => m >= 0 && m < input.Materials.Count && input.Materials[m].Textures.ContainsKey(TextureSlot.Normal))
            .Select(m => $"{m} {Said(input.Materials[m].Textures[TextureSlot.Normal])};").ToArray();
        key = textures.Length == 0 ? null : Hash(h =>
        {
            h.AppendData(Encoding.UTF8.GetBytes(string.Concat(textures)));
            Spread(h, mesh);
        });
        known.Reliefs.Add(mesh, key);
        return key;
    }

    /// <summary>Keys of all objects' normal textures; null where none has any.</summary>
    private string?[]? Reliefs(IReadOnlyList<HighObject> objects)
    {
        string?[] keys = [.. objects.Select(o => ReliefKey(o.Mesh))];
        return Array.TrueForAll(keys, k => k is null) ? null : keys;
    }

    private static string Said(BakeTexture texture) => $"{texture.Key} {texture.UvSet} {texture.UvTransform}";

    /// <summary>Colours, materials and pictures of an object but for its relief.</summary>
    private string DressKey(Mesh mesh)
    {
        if (known.Dresses.TryGetValue(mesh, out string? key))
            return key;
        var used = mesh.TriangleMaterials.Distinct().Order().Where(m => m >= 0 && m < input.Materials.Count).Select(m => input.Materials[m]);
        var said = used.Select(m => new
        {
            m.Source.Name,
            colour = new[] { m.Source.BaseColour.X, m.Source.BaseColour.Y, m.Source.BaseColour.Z, m.Source.BaseColour.W },
            m.Source.Roughness,
            m.Source.Metalness,
            textures = m.Textures.Where(t => t.Key != TextureSlot.Normal).OrderBy(t => t.Key).Select(t => $"{t.Key} {Said(t.Value)}").ToArray(),
        }).ToArray();
        key = Hash(h =>
        {
            h.AppendData(JsonSerializer.SerializeToUtf8Bytes(said));
            Append<Vector4>(h, mesh.Colours ?? []);
            Spread(h, mesh);
        });
        known.Dresses.Add(mesh, key);
        return key;
    }

    /// <summary>How materials and their pictures lie on an object.</summary>
    private static void Spread(IncrementalHash hash, Mesh mesh)
    {
        Append<int>(hash, mesh.TriangleMaterials);
        foreach (var set in mesh.UvSets)
            Append<Vector2>(hash, set);
    }

    private static void Shape(IncrementalHash hash, Mesh mesh)
    {
        Append<Vector3>(hash, mesh.Positions);
        Append<int>(hash, mesh.Corners);
        Append<Vector3>(hash, mesh.Normals ?? []);
    }

    private static string Hash(Action<IncrementalHash> fill)
    {
        using var hash = IncrementalHash.CreateHash(HashAlgorithmName.SHA256);
        fill(hash);
        return Convert.ToHexStringLower(hash.GetHashAndReset());
    }

    private static void Append<T>(IncrementalHash hash, T[] values)
        where T : unmanaged
    {
        hash.AppendData(Encoding.ASCII.GetBytes($"{values.Length};"));
        hash.AppendData(MemoryMarshal.AsBytes(values.AsSpan()));
    }
}
