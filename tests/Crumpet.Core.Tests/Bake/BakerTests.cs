using System.Numerics;
using Crumpet.Core.Bake;
using Crumpet.Core.Geometry;
using Crumpet.Core.Imaging;
using Crumpet.Core.Pairs;
using Xunit;

namespace Crumpet.Core.Tests.Bake;

public sealed class BakerTests
{
    [Theory]
    [InlineData(8, 128, 255)]
    [InlineData(16, 32768, 65535)]
    public void A_plane_baked_from_itself_is_flat_everywhere(int bits, int half, int full)
    {
        var map = Bake([Part(Shapes.Plane("p"))], new BakeSettings { Size = 128, Bits = bits, Samples = 4 }).Maps[BakeMap.Normal];
        for (int y = 0; y < 128; y++)
        {
            for (int x = 0; x < 128; x++)
            {
                Assert.Equal(half, Code(map, x, y, 0));
                Assert.Equal(half, Code(map, x, y, 1));
                Assert.Equal(full, Code(map, x, y, 2));
            }
        }
    }

    [Theory]
    [InlineData(16, 1, 0.01)]
    [InlineData(8, 1, 0.3)]
    [InlineData(16, 2, 0.05)]
    public void A_spheres_normal_map_decodes_to_the_spheres_normals(int bits, int samples, double meanDegrees)
    {
        // Flat faces, so that the map has to bend every normal by up to ten degrees.
        var low = Shapes.WithFlatNormals(Shapes.Sphere("low", 24, 12));
        var high = Shapes.Sphere("high", 512, 256);
        var settings = new BakeSettings
        {
            Size = 256,
            Bits = bits,
            Samples = samples,
            Dither = false,
            OutwardReachMetres = 0.1f,
            InwardReachMetres = 0.1f,
            Maps = [BakeMap.Normal]
        };
        var map = Bake([new BakePart("ball", [low], [high])], settings).Maps[BakeMap.Normal];
        double sum = 0;
        int count = 0;
        var tangents = TangentSpace.PerCorner(low);
        var smooth = SmoothNormals.PerCorner(low);
        foreach (var (x, y, triangle, weights) in CoveredCentres(low, 256, margin: 1.5f))
        {
            var n = Blend(low.Normals!, triangle, weights);
            var t4 = tangents[3 * triangle] * weights.X + tangents[3 * triangle + 1] * weights.Y + tangents[3 * triangle + 2] * weights.Z;
            var t = new Vector3(t4.X, t4.Y, t4.Z);
            var b = Vector3.Cross(n, t) * MathF.Sign(t4.W);
            var m = NormalEncoding.Decode(map.Unit(x, y, 0), map.Unit(x, y, 1), map.Unit(x, y, 2));
            var decoded = Vector3.Normalize(m.X * t + m.Y * b + m.Z * n);
            // The ray runs along the smooth normal through the low point: the sphere's normal where it meets the sphere.
            var expected = WhereRayMeetsSphere(Blend(low.Positions, low.Corners, triangle, weights),
                Vector3.Normalize(Blend(smooth, triangle, weights)));
            sum += Math.Atan2(Vector3.Cross(decoded, expected).Length(), Vector3.Dot(decoded, expected)) * 180 / Math.PI;
            count++;
            if (count == 3000)
                break;
        }
        Assert.True(count > 500);
        Assert.InRange(sum / count, 0, meanDegrees);
    }

    [Fact]
    public void Green_down_is_green_up_turned_round()
    {
        BakePart[] parts = [new BakePart("ball", [Shapes.Sphere("low", 16, 8)], [Shapes.Sphere("high", 64, 32)])];
        var settings = new BakeSettings { Size = 64, Dither = false, OutwardReachMetres = 0.2f, InwardReachMetres = 0.2f, Maps = [BakeMap.Normal] };
        var up = Bake(parts, settings).Maps[BakeMap.Normal];
        var down = Baker.Bake(new BakeInput("sheet", parts, [new BakeTray([0])]) { Green = GreenDirection.Down }, settings, 2, null,
            default).Maps[BakeMap.Normal];
        for (int i = 0; i < 64 * 64; i++)
        {
            int a = Code(up, i % 64, i / 64, 1), b = Code(down, i % 64, i / 64, 1);
            Assert.InRange(a + b, 254, 256);
            Assert.Equal(Code(up, i % 64, i / 64, 0), Code(down, i % 64, i / 64, 0));
        }
    }

    [Fact]
    public void Occlusion_of_an_open_plane_is_white()
    {
        var map = Bake([Part(Shapes.Plane("p"))], new BakeSettings { Size = 64, Maps = [BakeMap.Occlusion] }).Maps[BakeMap.Occlusion];
        for (int i = 0; i < 64 * 64; i++)
            Assert.Equal(255, Code(map, i % 64, i / 64, 0));
    }

    [Fact]
    public void Occlusion_in_a_right_angled_corner_is_that_of_the_closed_form()
    {
        // A floor of 1 m and along one side of it a wall of height 1 m that is very long, so that only distance counts.
        var floor = Shapes.Plane("floor");
        var wall = Shapes.Soup("wall", new(-0.5f, 0, 500), new(-0.5f, 0, -500), new(-0.5f, 1, -500), new(-0.5f, 0, 500), new(-0.5f, 1, -500),
            new(-0.5f, 1, 500));
        var settings = new BakeSettings
        {
            Size = 32,
            Bits = 16,
            Samples = 1,
            OcclusionRays = 4096,
            Maps = [BakeMap.Occlusion],
            OutwardReachMetres = 0.001f,
            InwardReachMetres = 0.001f
        };
        var map = Bake([new BakePart("corner", [floor], [floor, wall])], settings).Maps[BakeMap.Occlusion];
        foreach (int x in (int[])[1, 2, 6, 15, 30])
        {
            double distance = (x + 0.5) / 32, expected = 1 - 0.5 * (1 - distance / Math.Sqrt(distance * distance + 1));
            double mean = Enumerable.Range(4, 24).Average(y => map.Unit(x, y, 0));
            Assert.InRange(mean, expected - 0.01, expected + 0.01);
            Assert.All(Enumerable.Range(4, 24), y => Assert.InRange(map.Unit(x, y, 0), expected - 0.01, expected + 0.01));
        }
    }

    [Fact]
    public void Occlusion_stops_at_its_range()
    {
        var settings = new BakeSettings { Size = 32, Maps = [BakeMap.Occlusion], OcclusionRangeMetres = 0.3f };
        BakePart[] parts = [Part(Shapes.Plane("floor")),
            new BakePart("lid", [Shapes.Plane("lid", uvFrom: 2, uvTo: 3)], [Shapes.Plane("ceiling", 50, height: 0.5f)])];
        Assert.Equal(255, Code(Bake(parts, settings).Maps[BakeMap.Occlusion], 16, 16, 0));
        Assert.InRange(Code(Bake(parts, settings with { OcclusionRangeMetres = 0 }).Maps[BakeMap.Occlusion], 16, 16, 0), 0, 5);
    }

    [Theory]
    [InlineData(Occluders.Tray, 250, 255)]
    [InlineData(Occluders.Asset, 0, 5)]
    [InlineData(Occluders.Part, 250, 255)]
    public void Parts_on_other_trays_cast_shade_only_when_the_whole_asset_may(Occluders occluders, int least, int most)
    {
        BakePart[] parts = [Part(Shapes.Plane("floor")),
            new BakePart("lid", [Shapes.Plane("lid", uvFrom: 2, uvTo: 3)], [Shapes.Plane("ceiling", 50, height: 0.1f)])];
        var input = new BakeInput("sheet", parts, [new BakeTray([0]), new BakeTray([1])]);
        var map = Baker.Bake(input, new BakeSettings { Size = 32, Maps = [BakeMap.Occlusion], Occluders = occluders }, 1, null,
            default).Maps[BakeMap.Occlusion];
        Assert.InRange(Code(map, 16, 16, 0), least, most);
    }

    [Theory]
    [InlineData(Occluders.Asset, 0, 5)]
    [InlineData(Occluders.Part, 250, 255)]
    public void A_part_is_shaded_by_what_it_alone_sees(Occluders sees, int least, int most)
    {
        BakePart[] parts = [Part(Shapes.Plane("floor")) with { Sees = sees },
            new BakePart("lid", [Shapes.Plane("lid", uvFrom: 2, uvTo: 3)], [Shapes.Plane("ceiling", 50, height: 0.1f)])];
        var settings = new BakeSettings { Size = 32, Maps = [BakeMap.Occlusion], Occluders = Occluders.Tray };
        var apart = Baker.Bake(new BakeInput("sheet", parts, [new BakeTray([0]), new BakeTray([1])]), settings, 1, null, default).Maps[BakeMap.Occlusion];
        Assert.InRange(Code(apart, 16, 16, 0), least, most);
        var together = Baker.Bake(new BakeInput("sheet", parts, [new BakeTray([0, 1])]), settings, 1, null, default).Maps[BakeMap.Occlusion];
        Assert.InRange(Code(together, 16, 16, 0), least, most);
    }

    [Fact]
    public void A_parts_own_reach_decides_what_its_rays_find()
    {
        var part = new BakePart("p", [Shapes.Plane("low")], [Shapes.Plane("high", height: 0.05f)]);
        var settings = new BakeSettings { Size = 16, Samples = 1, Maps = [BakeMap.Normal], OutwardReachMetres = 0.012f, InwardReachMetres = 0.02f };
        Assert.Contains(Baker.Bake(new BakeInput("s", [part], [new BakeTray([0])]), settings, 1, null, default).Faults, f => f.Kind == FaultKind.Miss);
        Assert.Empty(Baker.Bake(new BakeInput("s", [part with { OutwardReachMetres = 0.06f }], [new BakeTray([0])]), settings, 1, null, default).Faults);
    }

    [Fact]
    public void Rays_from_a_cage_pass_through_the_surface_they_bake_for()
    {
        // A slanted cage sees a step of the high side where its rays cross it, not above the texel.
        var low = Shapes.Plane("low");
        Mesh left = Shapes.Soup("left", new(-2, 0.1f, 2), new(0.05f, 0.1f, 2), new(0.05f, 0.1f, -2), new(-2, 0.1f, 2), new(0.05f, 0.1f, -2), new(-2, 0.1f, -2)),
            floor = Shapes.Plane("floor", 8, height: -0.01f);
        var rays = new LowRays([.. Enumerable.Repeat(Vector3.UnitY, 6)],
            [.. Enumerable.Range(0, 6).Select(c => low.PositionAt(c) + new Vector3(0.2f, 0.2f, 0))], [.. Enumerable.Repeat(0.05f, 6)]);
        var settings = new BakeSettings { Size = 100, Samples = 1, Maps = [BakeMap.Normal] };
        var straight = Bake([new BakePart("p", [low], [left, floor]) { OutwardReachMetres = 0.2f }], settings).CoveredTexels;
        Assert.Equal(100 * 100, straight);
        var input = new BakeInput("s", [new BakePart("p", [low], [left]) { Rays = [rays] }], [new BakeTray([0])]);
        // At height 0.1 a ray has come half its way: 0.1 to the right of its texel. The step ends at 0.05, so texels beyond -0.05 miss it.
        var region = Assert.Single(Baker.Bake(input, settings, 1, null, default).Faults, f => f.Kind == FaultKind.Miss);
        Assert.InRange(region.X, 44, 46);
        Assert.Equal(100 - region.X, region.Width);
    }

    [Fact]
    public void One_and_two_threads_give_the_same_bytes()
    {
        BakePart[] parts = [new BakePart("ball", [Shapes.Sphere("low", 16, 8)], [Shapes.Sphere("high", 200, 100)])];
        var settings = new BakeSettings { Size = 128, OutwardReachMetres = 0.2f, InwardReachMetres = 0.2f };
        var input = new BakeInput("sheet", parts, [new BakeTray([0])]);
        var one = Baker.Bake(input, settings, 1, null, default);
        var two = Baker.Bake(input, settings, 2, null, default);
        foreach (var map in one.Maps.Keys)
            Assert.Equal(((Bitmap8)one.Maps[map]).Pixels, ((Bitmap8)two.Maps[map]).Pixels);
        Assert.Equal(one.Faults, two.Faults);
        Assert.Equal(one.Rays, two.Rays);
    }

    [Fact]
    public void Neighbours_burn_in_on_one_tray_and_not_on_two()
    {
        // A second plane 5 mm above the first, within the reach of 12 mm.
        BakePart[] parts = [Part(Shapes.Plane("a", uvTo: 0.4f)), Part(Shapes.Plane("b", uvFrom: 0.5f, uvTo: 0.9f, height: 0.005f))];
        var settings = new BakeSettings { Size = 64, Maps = [BakeMap.Normal], OutwardReachMetres = 0.012f, InwardReachMetres = 0.02f };
        var together = Baker.Bake(new BakeInput("s", parts, [new BakeTray([0, 1])]), settings, 1, null, default);
        var apart = Baker.Bake(new BakeInput("s", parts, [new BakeTray([0]), new BakeTray([1])]), settings, 1, null, default);
        var region = Assert.Single(together.Faults);
        Assert.Equal((FaultKind.Neighbour, "a", "b"), (region.Kind, region.Part, region.Other));
        Assert.True(region.Texels > 500);
        Assert.Empty(apart.Faults);
    }

    [Fact]
    public void Faults_tell_misses_back_faces_and_exhausted_reach_apart()
    {
        var settings = new BakeSettings { Size = 32, Samples = 1, Maps = [BakeMap.Normal], OutwardReachMetres = 0.01f, InwardReachMetres = 0.01f };
        var low = Shapes.Plane("low");
        Assert.Equal(FaultKind.Miss, Kind(Shapes.Plane("high", height: -0.5f)));
        Assert.Equal(FaultKind.ReachExhausted, Kind(Shapes.Plane("high", height: -0.0099f)));
        var turned = Shapes.Plane("high");
        Assert.Equal(FaultKind.BackFace, Kind(Shapes.Soup("turned", [.. turned.Corners.Reverse().Select(c => turned.Positions[c])])));

        FaultKind Kind(Mesh high) => Assert.Single(Bake([new BakePart("p", [low], [high])], settings).Faults).Kind;
    }

    [Fact]
    public void Uvs_that_overlap_without_lying_on_each_other_are_faults_and_stacked_ones_are_not()
    {
        var settings = new BakeSettings { Size = 64, Maps = [BakeMap.Normal] };
        BakePart a = Part(Shapes.Plane("a", uvTo: 0.5f)), stacked = Part(Shapes.Plane("b", uvTo: 0.5f)),
            crossing = Part(Shapes.Plane("c", uvFrom: 0.25f, uvTo: 0.75f));
        Assert.Empty(Bake([a, stacked], settings).Faults);
        Assert.Contains(Bake([a, crossing], settings).Faults, f => f.Kind == FaultKind.Overlap);
    }

    [Fact]
    public void Padding_copies_the_nearest_island_and_never_mixes_two()
    {
        var tilted = Shapes.Plane("tilted", uvFrom: 0.6f, uvTo: 0.9f);
        var slope = new Mesh
        {
            Name = "slope",
            Positions = tilted.Positions,
            Corners = tilted.Corners,
            Normals = [.. Enumerable.Repeat(Vector3.Normalize(new Vector3(0.5f, 1, 0)), 6)],
            TriangleMaterials = [0, 0]
        };
        BakePart[] parts = [Part(Shapes.Plane("flat", uvFrom: 0.1f, uvTo: 0.55f)), new BakePart("tilted", [tilted], [slope])];
        var map = Baker.Bake(new BakeInput("s", parts, [new BakeTray([0]), new BakeTray([1])]),
            new BakeSettings { Size = 100, Maps = [BakeMap.Normal], PaddingPixels = 8, Dither = false }, 1, null, default).Maps[BakeMap.Normal];
        var values = new HashSet<int>();
        for (int i = 0; i < 100 * 100; i++)
            values.Add(Code(map, i % 100, i / 100, 0));
        Assert.Equal(2, values.Count);
        // Rows count from the top: v 0.55 is row 45, and eight rows above it are padding.
        int tiltedCode = values.Single(v => v != 128);
        Assert.Equal(tiltedCode, Code(map, 75, 39 + 5, 0));
        Assert.Equal(128, Code(map, 75, 39 + 12, 0));
    }

    [Fact]
    public void A_bake_can_be_cancelled_and_bad_settings_are_refused()
    {
        var input = new BakeInput("s", [Part(Shapes.Plane("p"))], [new BakeTray([0])]);
        Assert.Throws<OperationCanceledException>(() => Baker.Bake(input, new BakeSettings { Size = 64 }, 1, null, new CancellationToken(true)));
        Assert.Throws<ArgumentException>(() => Baker.Bake(input, new BakeSettings { Samples = 3 }, 1, null, default));
        Assert.NotNull(new BakeSettings { OutwardReachMetres = float.NaN }.Problem());
    }

    private static BakeResult Bake(BakePart[] parts, BakeSettings settings) =>
        Baker.Bake(new BakeInput("sheet", parts, [new BakeTray([.. Enumerable.Range(0, parts.Length)])]), settings, 2, null, default);

    private static BakePart Part(Mesh mesh) => new(mesh.Name, [mesh], [mesh]);

    private static int Code(Bitmap map, int x, int y, int channel) => map switch
    {
        Bitmap8 b => b.Pixels[(y * b.Width + x) * b.Channels + channel],
        Bitmap16 b => b.Pixels[(y * b.Width + x) * b.Channels + channel],
        _ => throw new ArgumentException("unknown depth"),
    };

    private static IEnumerable<(int X, int Y, int Triangle, Vector3 Weights)> CoveredCentres(Mesh mesh, int size, float margin)
    {
        for (int t = 0; t < mesh.TriangleCount; t++)
        {
            Vector2 a = At(3 * t), b = At(3 * t + 1), c = At(3 * t + 2);
            float area = Cross(b - a, c - a);
            for (int y = (int)MathF.Min(a.Y, MathF.Min(b.Y, c.Y)); y <= MathF.Max(a.Y, MathF.Max(b.Y, c.Y)); y++)
            {
                for (int x = (int)MathF.Min(a.X, MathF.Min(b.X, c.X)); x <= MathF.Max(a.X, MathF.Max(b.X, c.X)); x++)
                {
                    var p = new Vector2(x + 0.5f, y + 0.5f);
                    var w = new Vector3(Cross(b - p, c - p), Cross(c - p, a - p), Cross(a - p, b - p)) / area;
                    // Inside by a margin, so that every sample of the texel lies in the triangle.
                    if (MathF.Min(w.X, MathF.Min(w.Y, w.Z)) * MathF.Abs(area) > margin * 12)
                        yield return (x, y, t, w);
                }
            }
        }

        Vector2 At(int corner) => new(mesh.Uvs![corner].X * size, (1 - mesh.Uvs[corner].Y) * size);

        static float Cross(Vector2 p, Vector2 q) => p.X * q.Y - p.Y * q.X;
    }

    private static Vector3 Blend(Vector3[] corners, int triangle, Vector3 w) =>
        corners[3 * triangle] * w.X + corners[3 * triangle + 1] * w.Y + corners[3 * triangle + 2] * w.Z;

    private static Vector3 Blend(Vector3[] positions, int[] index, int triangle, Vector3 w) =>
        positions[index[3 * triangle]] * w.X + positions[index[3 * triangle + 1]] * w.Y + positions[index[3 * triangle + 2]] * w.Z;

    private static Vector3 WhereRayMeetsSphere(Vector3 point, Vector3 direction)
    {
        float along = Vector3.Dot(point, direction);
        return point + direction * (-along + MathF.Sqrt(along * along - point.LengthSquared() + 1));
    }
}
