using System.Numerics;
using Crumpet.Core.Bake;
using Crumpet.Core.Geometry;
using Crumpet.Core.Imaging;
using Crumpet.Core.Pairs;
using Xunit;

namespace Crumpet.Core.Tests.Bake;

/// <summary>Maps of surfaces whose values are known in closed form.</summary>
public sealed class ClosedFormTests
{
    [Fact]
    public void A_torus_has_the_normals_of_its_equation_and_its_tangent_map_decodes_to_them()
    {
        var low = Bakes.Torus("low", 32, 16);
        low = low with { Normals = SmoothNormals.PerCorner(low) };
        var result = Bakes.Of(Bakes.Exact(256, BakeMap.ObjectNormal, BakeMap.Position), low, Bakes.Torus("high", 1024, 512));
        double sum = 0, worst = 0;
        int count = 0;
        foreach (var (x, y) in Bakes.Covered(result))
        {
            double off = Bakes.Degrees(Bakes.At(result.Maps[BakeMap.ObjectNormal], x, y), Bakes.TorusNormal(Bakes.At(result.Maps[BakeMap.Position], x, y)));
            (sum, worst, count) = (sum + off, Math.Max(worst, off), count + 1);
        }
        Assert.True(count > 60_000);
        Assert.InRange(sum / count, 0, 0.05);
        Assert.InRange(worst, 0, 0.5);
        Assert.InRange(DecodedError(low, result, 16), 0, 0.01);
        Assert.InRange(DecodedError(low, result, 8), 0, 0.3);
    }

    [Fact]
    public void A_box_with_rounded_edges_has_their_normals()
    {
        const float Rounding = 0.1f;
        var result = Bakes.Of(Bakes.Exact(192, BakeMap.ObjectNormal, BakeMap.Position), Bakes.Box("low", 1, 0), Bakes.Box("high", 200, Rounding));
        int count = 0;
        foreach (var (x, y) in Bakes.Covered(result))
        {
            var place = Bakes.At(result.Maps[BakeMap.Position], x, y);
            Assert.InRange(Bakes.Degrees(Bakes.At(result.Maps[BakeMap.ObjectNormal], x, y), Bakes.BoxNormal(place, Rounding)), 0, 1.5);
            count++;
        }
        Assert.True(count > 15_000);
    }

    [Fact]
    public void Occlusion_on_the_floor_of_a_slit_is_that_of_the_closed_form()
    {
        // Walls 0.6 m high on both sides of a floor 1 m wide, and so long that only the cross-section counts.
        var floor = Shapes.Plane("floor");
        var walls = new[] { -0.5f, 0.5f }.Select(x =>
            Shapes.Soup("wall", new(x, 0, 500), new(x, 0, -500), new(x, 0.6f, -500), new(x, 0, 500), new(x, 0.6f, -500), new(x, 0.6f, 500))).ToArray();
        var settings = Bakes.Exact(64, BakeMap.Occlusion) with { OcclusionRays = 1024, OutwardReachMetres = 0.001f, InwardReachMetres = 0.001f };
        var map = Bakes.Of(settings, floor, [floor, .. walls]).Maps[BakeMap.Occlusion];
        foreach (int x in (int[])[2, 10, 20, 32, 50])
        {
            double left = (x + 0.5) / 64, right = 1 - left, expected = (left / Math.Sqrt(left * left + 0.36) + right / Math.Sqrt(right * right + 0.36)) / 2;
            Assert.All(Enumerable.Range(8, 48), y => Assert.InRange(map.Unit(x, y, 0), expected - 0.015, expected + 0.015));
        }
    }

    [Fact]
    public void Every_place_in_a_hemispherical_bowl_sees_half_of_the_sky()
    {
        var bowl = Bowl("bowl", 96);
        var map = Bakes.Of(Bakes.Exact(64, BakeMap.Occlusion) with { OcclusionRays = 1024, OutwardReachMetres = 0.05f, InwardReachMetres = 0.05f },
            Bowl("low", 96), bowl).Maps[BakeMap.Occlusion];
        for (int y = 4; y < 60; y += 5)
            for (int x = 4; x < 60; x += 5)
                Assert.InRange(map.Unit(x, y, 0), 0.48f, 0.52f);
    }

    [Theory]
    [InlineData(0)]
    [InlineData(0.05f)]
    [InlineData(0.4f)]
    public void Curvature_of_a_sphere_is_one_over_its_radius_and_its_sign_is_that_of_the_outside(float radius)
    {
        const float Size = 0.5f;
        var sphere = Scaled(Shapes.Sphere("high", 256, 128), Size);
        var settings = Bakes.Exact(64, BakeMap.Curvature, BakeMap.Convex, BakeMap.Concave) with { CurvatureRadiusMetres = radius };
        var result = Bakes.Of(settings, Scaled(Shapes.Sphere("low", 32, 16), Size), sphere);
        for (int i = 0; i < 64 * 64; i += 7)
        {
            // Rows next to the poles hold triangles that are needles.
            if (i / 64 is < 6 or > 57)
                continue;
            Assert.InRange(result.Maps[BakeMap.Curvature].Unit(i % 64, i / 64, 0), 1 / Size * 0.97f, 1 / Size * 1.03f);
            Assert.Equal(result.Maps[BakeMap.Curvature].Unit(i % 64, i / 64, 0), result.Maps[BakeMap.Convex].Unit(i % 64, i / 64, 0));
            Assert.Equal(0, result.Maps[BakeMap.Concave].Unit(i % 64, i / 64, 0));
        }
        Assert.InRange(SurfaceCurvature.PerCorner(Bowl("bowl", 64), radius, 1, default)[3 * 64 * 32], -1.05f, -0.95f);
    }

    [Fact]
    public void A_cylinder_bends_half_as_much_as_a_sphere_and_a_thin_plate_not_at_all_beside_its_edge()
    {
        var cylinder = Bakes.Bent("c", 200, 40, (u, v) => new Vector3(MathF.Sin(MathF.PI * (u - 0.5f)), v * 2, MathF.Cos(MathF.PI * (u - 0.5f))));
        var bends = SurfaceCurvature.PerCorner(cylinder, 0.1f, 2, default);
        int middle = 6 * (20 * 200 + 100);
        Assert.InRange(bends[middle], 0.48f, 0.52f);
        // Two faces 2 mm apart, averaged over 20 mm: neither knows of the other.
        var top = Shapes.Grid("top", 60);
        var (positions, corners) = Mesh.Join([top,
            top with { Positions = [.. top.Positions.Select(p => p - new Vector3(0, 0.002f, 0))], Corners = [.. top.Corners.Reverse()] }]);
        var plate = new Mesh { Name = "plate", Positions = positions, Corners = corners, TriangleMaterials = new int[corners.Length / 3] };
        Assert.All(SurfaceCurvature.PerCorner(plate, 0.02f, 2, default), bend => Assert.InRange(bend, -1e-3f, 1e-3f));
    }

    [Fact]
    public void A_sphere_is_four_thirds_of_its_radius_thick()
    {
        // Chords of a sphere at an angle a to the normal are 2 r cos a long; weighted by cosine their mean is 4/3 r.
        const float Radius = 0.03f;
        var settings = Bakes.Exact(48, BakeMap.Thickness) with { ThicknessRays = 512, ThicknessRangeMetres = 0.1f };
        var map = Bakes.Of(settings, Scaled(Shapes.Sphere("low", 32, 16), Radius), Scaled(Shapes.Sphere("high", 256, 128), Radius)).Maps[BakeMap.Thickness];
        for (int i = 0; i < 48 * 48; i += 5)
        {
            if (i / 48 is > 3 and < 44)
                Assert.InRange(map.Unit(i % 48, i / 48, 0), Radius * 4 / 3 * 0.98f, Radius * 4 / 3 * 1.02f);
        }
    }

    [Fact]
    public void A_wedge_rises_evenly_in_the_height_map_and_its_range_is_told()
    {
        var wedge = Shapes.Soup("high", new(-1, -0.1f, 1), new(1, 0.1f, 1), new(1, 0.1f, -1), new(-1, -0.1f, 1), new(1, 0.1f, -1), new(-1, -0.1f, -1));
        var settings = Bakes.Exact(50, BakeMap.Height);
        var map = Bakes.Of(settings, Shapes.Plane("low"), wedge).Maps[BakeMap.Height];
        var narrow = Bakes.Of(settings with { Files = new Dictionary<BakeMap, MapFile>(), Dither = false }, Shapes.Plane("low"), wedge);
        var scale = Assert.Single(narrow.Scales);
        Assert.Equal((0.049f, -0.049f), (MathF.Round(scale.To[0], 5), MathF.Round(scale.From[0], 5)));
        for (int x = 0; x < 50; x++)
        {
            double height = ((x + 0.5) / 50 - 0.5) / 10;
            Assert.Equal(height, map.Unit(x, 20, 0), 1e-6);
            Assert.Equal(height, (narrow.Maps[BakeMap.Height].Unit(x, 20, 0) * 2 - 1) * scale.To[0], 1e-5);
        }
        Assert.Equal(16, narrow.Maps[BakeMap.Height].Bits);
    }

    [Fact]
    public void The_bent_normal_leans_away_from_a_wall_and_the_ground_shades_what_stands_on_it()
    {
        var floor = Shapes.Plane("floor");
        var wall = Shapes.Soup("wall", new(-0.5f, 0, 500), new(-0.5f, 0, -500), new(-0.5f, 100, -500), new(-0.5f, 0, 500), new(-0.5f, 100, -500),
            new(-0.5f, 100, 500));
        var bent = Bakes.Of(Bakes.Exact(32, BakeMap.BentNormal) with { OcclusionRays = 1024 }, floor, floor, wall).Maps[BakeMap.BentNormal];
        // Beside an endless wall half of the hemisphere is left; its cosine-weighted mean leans off the wall by 2 to π.
        var lean = Bakes.At(bent, 0, 16);
        Assert.InRange(lean.X / lean.Z, 0.62f, 0.65f);
        Assert.InRange(lean.Y, -0.02f, 0.02f);
        // A side of a cube that stands on the ground sees nothing but ground below its horizon.
        var cube = Bakes.Box("cube", 1, 0);
        var settings = Bakes.Exact(96, BakeMap.Occlusion) with { OcclusionRays = 1024 };
        Assert.Equal(1, Bakes.Of(settings, cube, cube).Maps[BakeMap.Occlusion].Unit(16, 80, 0));
        Assert.InRange(Bakes.Of(settings with { GroundOccludes = true }, cube, cube).Maps[BakeMap.Occlusion].Unit(16, 80, 0), 0.48f, 0.52f);
    }

    [Fact]
    public void Occlusion_fades_at_the_end_of_its_range_and_backs_can_let_light_through()
    {
        Mesh floor = Shapes.Plane("floor"), lid = Shapes.Plane("lid", 500, height: 0.5f);
        var settings = Bakes.Exact(16, BakeMap.Occlusion) with { OcclusionRays = 1024, OutwardReachMetres = 0.01f, InwardReachMetres = 0.01f };
        float Open(BakeSettings s) => Bakes.Of(s, floor, floor, lid).Maps[BakeMap.Occlusion].Unit(8, 8, 0);
        Assert.InRange(Open(settings), 0, 0.01f);
        // The lid looks up: from below only its back is seen.
        Assert.Equal(1, Open(settings with { BackFacesOcclude = false }));
        // Rays steeper than acos(0.5 / 1) hit within 1 m: openness is what lies beyond, cos² 60°.
        Assert.InRange(Open(settings with { OcclusionRangeMetres = 1 }), 0.24f, 0.26f);
        // Fading over the whole range: the mean of d = 0.5 / cos a where that is below 1, else 1; the integral of 2 c · min(1, 0.5 / c) dc.
        Assert.InRange(Open(settings with { OcclusionRangeMetres = 1, OcclusionFalloffMetres = 1 }), 0.74f, 0.76f);
    }

    [Fact]
    public void Smoothing_takes_noise_out_of_occlusion_and_leaves_its_edges()
    {
        // A step of 0.2 m: below it the corner is dark, above it the floor is open.
        var low = Shapes.Plane("low");
        Mesh[] high =
        [
            Shapes.Soup("below", new(-2, 0, 2), new(0, 0, 2), new(0, 0, -2), new(-2, 0, 2), new(0, 0, -2), new(-2, 0, -2)),
            Shapes.Soup("above", new(0, 0.1f, 2), new(2, 0.1f, 2), new(2, 0.1f, -2), new(0, 0.1f, 2), new(2, 0.1f, -2), new(0, 0.1f, -2)),
            Shapes.Soup("riser", new(0, 0, -2), new(0, 0, 2), new(0, 0.1f, 2), new(0, 0, -2), new(0, 0.1f, 2), new(0, 0.1f, -2)),
        ];
        var settings = Bakes.Exact(64, BakeMap.Occlusion) with { OcclusionRays = 16 };
        var best = Bakes.Of(settings with { OcclusionRays = 1024 }, low, high).Maps[BakeMap.Occlusion];
        double Error(bool denoise)
        {
            var map = Bakes.Of(settings with { Denoise = denoise }, low, high).Maps[BakeMap.Occlusion];
            return Math.Sqrt(Enumerable.Range(0, 64 * 64).Average(i => Math.Pow(map.Unit(i % 64, i / 64, 0) - best.Unit(i % 64, i / 64, 0), 2)));
        }
        double before = Error(false), after = Error(true);
        Assert.InRange(after, 0, before * 0.6);
        Assert.Equal(1, Bakes.Of(settings with { Denoise = true }, low, high).Maps[BakeMap.Occlusion].Unit(40, 32, 0));
    }

    /// <summary>Mean error, degrees, of a tangent map decoded as a shader does, against the object-space map.</summary>
    private static double DecodedError(Mesh low, BakeResult world, int bits)
    {
        var settings = new BakeSettings
        {
            Size = 256,
            Samples = 1,
            Bits = bits,
            Dither = false,
            Maps = [BakeMap.Normal],
            OutwardReachMetres = 0.2f,
            InwardReachMetres = 0.2f,
            PaddingPixels = 0
        };
        var map = Bakes.Of(settings, low, Bakes.Torus("high", 1024, 512)).Maps[BakeMap.Normal];
        var tangents = TangentSpace.PerCorner(low);
        double sum = 0;
        int count = 0;
        for (int t = 0; t < low.TriangleCount; t++)
        {
            Vector2 a = low.Uvs![3 * t] * 256, b = low.Uvs[3 * t + 1] * 256, c = low.Uvs[3 * t + 2] * 256, middle = (a + b + c) / 3;
            int x = (int)middle.X, y = 255 - (int)middle.Y;
            var p = new Vector2(x + 0.5f, 256 - (y + 0.5f));
            float area = Cross(b - a, c - a);
            var w = new Vector3(Cross(b - p, c - p), Cross(c - p, a - p), Cross(a - p, b - p)) / area;
            var n = low.Normals![3 * t] * w.X + low.Normals[3 * t + 1] * w.Y + low.Normals[3 * t + 2] * w.Z;
            var t4 = tangents[3 * t] * w.X + tangents[3 * t + 1] * w.Y + tangents[3 * t + 2] * w.Z;
            var tangent = new Vector3(t4.X, t4.Y, t4.Z);
            var m = NormalEncoding.Decode(map.Unit(x, y, 0), map.Unit(x, y, 1), map.Unit(x, y, 2));
            sum += Bakes.Degrees(m.X * tangent + m.Y * MathF.Sign(t4.W) * Vector3.Cross(n, tangent) + m.Z * n,
                Bakes.At(world.Maps[BakeMap.ObjectNormal], x, y));
            count++;
        }
        return sum / count;

        static float Cross(Vector2 p, Vector2 q) => p.X * q.Y - p.Y * q.X;
    }

    private static Mesh Scaled(Mesh mesh, float by) => mesh with { Positions = Array.ConvertAll(mesh.Positions, p => p * by) };

    /// <summary>Half a sphere of radius 1 seen from inside, open upwards; the tile is its latitude and longitude.</summary>
    private static Mesh Bowl(string name, int across) => Bakes.Bent(name, across, across, (u, v) =>
    {
        var (sin, cos) = MathF.SinCos(2 * MathF.PI * (u == 1 ? 0 : u));
        var (ring, down) = MathF.SinCos(MathF.PI / 2 * (0.02f + 0.98f * v));
        return new Vector3(ring * cos, -down, ring * sin);
    });
}
