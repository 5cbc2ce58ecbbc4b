using System.Numerics;
using Crumpet.Core.Geometry;
using Crumpet.Core.Pairs;
using Crumpet.Core.Tracing;
using Xunit;

namespace Crumpet.Core.Tests.Pairs;

public sealed class ContactTests
{
    [Theory]
    [InlineData(0.031f, 0.031f, 0.019f)]
    [InlineData(0.012f, 0.012f, 0)]
    [InlineData(0.0121f, 0.0121f, 0.0001f)]
    [InlineData(0.045f, -1, 0)]
    public void Boxes_face_to_face_touch_within_the_outward_reach_and_are_near_within_both(float gap, float saidGap, float rays)
    {
        var contacts = ContactFinder.Find([Box("a", Vector3.Zero), Box("b", new Vector3(1 + gap, 0.2f, 0.1f))]);
        if (saidGap < 0)
        {
            Assert.Empty(contacts);
            return;
        }
        var contact = Assert.Single(contacts);
        Assert.Equal(saidGap, contact.GapMetres, Contact.Exactness);
        Assert.Equal(rays, contact.RayDistanceMetres, Contact.Exactness);
        Assert.Equal(0.5f, Math.Min(contact.From[0], contact.To[0]), 1e-4f);
        Assert.Equal(contact.GapMetres, Vector3.Distance(new(contact.From), new(contact.To)), 1e-4f);
    }

    [Fact]
    public void A_small_part_wholly_between_start_and_end_of_another_parts_rays_touches_it()
    {
        var small = Moved(Shapes.Cube("screw_high"), new Vector3(0, 0.508f, 0), 0.001f);
        var contact = Assert.Single(ContactFinder.Find([Box("a", Vector3.Zero), new ContactPart([small], [small], 0, 0.0001f)]));
        Assert.True(contact.Touches);
    }

    [Fact]
    public void Rays_that_end_inside_touch_what_lies_there()
    {
        // Under the low surface by 15 mm: beyond outward reach, within inward reach.
        var sunk = Moved(Shapes.Plane("inner_high"), new Vector3(0, 0.485f, 0), 0.4f);
        Assert.True(Assert.Single(ContactFinder.Find([Box("a", Vector3.Zero), new ContactPart([sunk], [sunk], 0, 0.0001f)])).Touches);
        Assert.False(Assert.Single(ContactFinder.Find([Box("a", Vector3.Zero, inward: 0.01f), new ContactPart([sunk], [sunk], 0, 0.0001f)])).Touches);
    }

    [Fact]
    public void The_distance_is_that_of_trying_every_ray_and_every_triangle()
    {
        var random = new Random(11);
        int near = 0, touching = 0;
        for (int round = 0; round < 30; round++)
        {
            var turn = Matrix4x4.CreateFromYawPitchRoll(random.NextSingle() * 6, random.NextSingle() * 6, random.NextSingle() * 6);
            var other = Shapes.Sphere("b", 10, 6);
            other = other with
            {
                Positions = Array.ConvertAll(other.Positions,
                p => Vector3.Transform(p * 0.3f, turn) + new Vector3(0.75f + 0.35f * random.NextSingle(), 0.3f * random.NextSingle(), 0))
            };
            var cube = Shapes.Cube("a");
            ContactPart[] parts = [new([cube], [cube], 0.05f, 0.08f), new([other], [other], 0.001f, 0.0005f)];
            var all = ContactFinder.Find(parts);
            double judge = ByEveryRay(cube, other, 0.05f, 0.08f);
            if (judge > 0.125)
                continue;
            var found = Assert.Single(all);
            // Hulls differ from what rays touch by less than two thousandths of the reach of 0.08 m.
            if (found.One == 0)
                Assert.Equal(judge, found.RayDistanceMetres, 0.002 * 0.08 + Contact.Exactness);
            near++;
            touching += found.Touches ? 1 : 0;
        }
        Assert.InRange(touching, 5, near - 5);
    }

    [Fact]
    public void Faces_without_area_and_doubled_ones_change_no_contact()
    {
        ContactPart[] parts = [Box("a", Vector3.Zero), Box("b", new Vector3(1.01f, 0.2f, 0.1f))];
        var clean = Assert.Single(ContactFinder.Find(parts));
        var broken = parts.Select(p =>
        {
            var mesh = p.Low[0];
            var low = mesh with
            {
                Corners = [.. mesh.Corners, 0, 0, 0, 0, 1, 1, .. mesh.Corners[..6]],
                Normals = null,
                UvSets = [],
                TriangleMaterials = new int[mesh.TriangleCount + 4]
            };
            return p with { Low = [low], High = [low] };
        }).ToArray();
        var contact = Assert.Single(ContactFinder.Find(broken));
        Assert.Equal((clean.Touches, clean.GapMetres), (contact.Touches, contact.GapMetres));
        // A part of nothing but a point is in contact with nothing, and hinders nobody.
        var point = new Mesh { Name = "p", Positions = [Vector3.Zero], Corners = [0, 0, 0], TriangleMaterials = [0] };
        Assert.Contains(ContactFinder.Find([.. parts, new ContactPart([point], [point], 0.01f, 0.01f)]), c => c.One + c.Two == 1);
    }

    [Fact]
    public void Neither_threads_nor_the_order_of_parts_change_what_is_found()
    {
        var random = new Random(4);
        ContactPart[] parts = [.. Enumerable.Range(0, 40)
            .Select(i => Box($"p{i}", new Vector3(random.NextSingle(), random.NextSingle(), random.NextSingle()) * 6))];
        var one = ContactFinder.Find(parts, 1);
        var two = ContactFinder.Find(parts, 2);
        Assert.Equal(one.Select(c => (c.One, c.Two, c.RayDistanceMetres, c.GapMetres)), two.Select(c => (c.One, c.Two, c.RayDistanceMetres, c.GapMetres)));
        var reversed = ContactFinder.Find([.. parts.Reverse()], 2);
        Assert.Equal(one.Select(c => (Math.Min(c.One, c.Two), Math.Max(c.One, c.Two), c.Touches)).Order(),
            reversed.Select(c => (Math.Min(39 - c.One, 39 - c.Two), Math.Max(39 - c.One, 39 - c.Two), c.Touches)).Order());
        Assert.NotEmpty(one);
    }

    private static ContactPart Box(string name, Vector3 at, float inward = 0.02f)
    {
        var cube = Moved(Shapes.Cube(name), at, 1);
        return new ContactPart([cube], [cube], 0.012f, inward);
    }

    private static Mesh Moved(Mesh mesh, Vector3 by, float scale) => mesh with { Positions = Array.ConvertAll(mesh.Positions, p => p * scale + by) };

    /// <summary>From rays as the bake casts them, measured at points along them, and from the best of those on in ever smaller steps.</summary>
    private static double ByEveryRay(Mesh low, Mesh high, float outward, float inward)
    {
        const int Across = 40, Along = 12;
        var directions = SmoothNormals.PerCorner(low);
        var surface = SurfaceTree.Build([high]);
        double least = double.PositiveInfinity;
        for (int t = 0; t < low.TriangleCount; t++)
        {
            (float U, float V, float S) best = default;
            float nearest = float.PositiveInfinity;
            for (int i = 0; i <= Across; i++)
                for (int j = 0; j <= Across - i; j++)
                    for (int k = 0; k <= Along; k++)
                        Try(t, i / (float)Across, j / (float)Across, k / (float)Along, ref best, ref nearest);
            for (float step = 1f / Across; step > 1e-5f; step *= 0.7f)
            {
                var (u, v, s) = best;
                for (int move = 0; move < 27; move++)
                    Try(t, u + (move % 3 - 1) * step, v + (move / 3 % 3 - 1) * step, s + (move / 9 - 1) * step, ref best, ref nearest);
            }
            least = Math.Min(least, nearest);
        }
        return least;

        void Try(int t, float u, float v, float s, ref (float U, float V, float S) best, ref float nearest)
        {
            float w = 1 - u - v;
            if (u < 0 || v < 0 || w < -1e-6f || s is < 0 or > 1)
                return;
            var p = w * low.PositionAt(3 * t) + u * low.PositionAt(3 * t + 1) + v * low.PositionAt(3 * t + 2);
            var d = Vector3.Normalize(w * directions[3 * t] + u * directions[3 * t + 1] + v * directions[3 * t + 2]);
            float distance = surface.Nearest(p + d * (outward - (outward + inward) * s), 10).Distance;
            if (distance < nearest)
                (best, nearest) = ((u, v, s), distance);
        }
    }
}
