using System.Numerics;
using Crumpet.Core.Geometry;
using Crumpet.Core.Imaging;

namespace Crumpet.Core.Tracing;

/// <summary>Draws a small picture of objects by casting rays: what a list shows of an asset.</summary>
public static class Thumbnail
{
    private const int SamplesAcross = 3;
    private const float FieldOfView = 30 * MathF.PI / 180;
    private static readonly Vector3 Table = new(Srgb.ToLinear((byte)0x77));
    private static readonly Vector3 Paint = new(0.6f, 0.56f, 0.48f);
    private static readonly Vector3 Sun = Vector3.Normalize(new Vector3(1.4f, 1.7f, 2.1f));

    /// <summary>Draws the objects on neutral grey, seen from the front right and a little above, all in view.</summary>
    /// <param name="meshes">At least one object.</param>
    /// <param name="side">Side of the picture, pixels.</param>
    /// <param name="threads">Threads to use, at least 1.</param>
    /// <param name="cancel">Ends the work early.</param>
    public static Bitmap8 Draw(IReadOnlyList<Mesh> meshes, int side, int threads, CancellationToken cancel)
    {
        var bounds = Bounds.Empty;
        foreach (var mesh in meshes)
            bounds = bounds.Including(mesh.Bounds());
        var (positions, corners) = Mesh.Join(meshes);
        using var bvh = Bvh.Build(positions, corners, threads, cancel);
        var towards = Vector3.Normalize(new Vector3(0.56f, 0.28f, 0.78f));
        var right = Vector3.Normalize(Vector3.Cross(Vector3.UnitY, towards));
        var up = Vector3.Cross(towards, right);
        float distance = bounds.Size.Length() / 2 / MathF.Tan(FieldOfView / 2), step = 2 * MathF.Tan(FieldOfView / 2) / (side * SamplesAcross);
        var eye = bounds.Centre + towards * distance;
        var picture = new Bitmap8(side, side, 3);
        Parallel.For(0, side, new ParallelOptions { MaxDegreeOfParallelism = threads, CancellationToken = cancel }, y =>
        {
            for (int x = 0; x < side; x++)
            {
                var sum = Vector3.Zero;
                for (int s = 0; s < SamplesAcross * SamplesAcross; s++)
                {
                    float px = (x * SamplesAcross + s % SamplesAcross + 0.5f - side * SamplesAcross / 2f) * step,
                        py = (y * SamplesAcross + s / SamplesAcross + 0.5f - side * SamplesAcross / 2f) * step;
                    sum += Shade(bvh, positions, corners, new Ray(eye, Vector3.Normalize(right * px - up * py - towards), 0, 4 * distance));
                }
                sum /= SamplesAcross * SamplesAcross;
                for (int c = 0; c < 3; c++)
                    picture.Pixels[(y * side + x) * 3 + c] = (byte)(Srgb.FromLinear(sum[c]) * 255 + 0.5f);
            }
        });
        return picture;
    }

    private static Vector3 Shade(Bvh bvh, Vector3[] positions, int[] corners, in Ray ray)
    {
        if (!bvh.Closest(ray, out var hit))
            return Table;
        Vector3 a = positions[corners[3 * hit.Triangle]], b = positions[corners[3 * hit.Triangle + 1]], c = positions[corners[3 * hit.Triangle + 2]];
        var normal = Vector3.Normalize(Vector3.Cross(b - a, c - a));
        if (Vector3.Dot(normal, ray.Direction) > 0)
            normal = -normal;
        var point = ray.Origin + ray.Direction * hit.Distance + normal * (hit.Distance * 1e-4f);
        bool lit = Vector3.Dot(normal, Sun) > 0 && !bvh.Any(new Ray(point, Sun, 0, ray.Far));
        float sky = 0.25f + 0.2f * normal.Y;
        return Paint * (sky + (lit ? 0.95f * Vector3.Dot(normal, Sun) : 0));
    }
}
