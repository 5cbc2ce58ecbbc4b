using System.Numerics;
using System.Runtime.CompilerServices;

namespace Crumpet.Core.Tracing;

/// <summary>Casts many rays at once, in an order in which neighbours visit the same nodes, so that these are found in the cache.</summary>
/// <remarks>
/// Rays are sorted by the Morton code of their origin and the octant of their direction, which is a sort by radix. Source: D. Meister et al.,
/// "On ray reordering techniques for faster GPU ray tracing", I3D 2020. Every ray's hit is the same as alone.
/// </remarks>
public static class RayBundles
{
    private const int Chunk = 2048;
    private const int Digit = 11;

    // A hierarchy of so few triangles stays in the cache whatever the order.
    private const int SortedFrom = 100_000;

    // Rays that follow each other this closely, against the room all of them take, are in a good order already.
    private const float CloseBy = 0.02f;

    /// <summary>Finds for each ray its nearest triangle, whichever way it faces.</summary>
    /// <param name="bvh">Triangles.</param>
    /// <param name="rays">Rays, in any order.</param>
    /// <param name="hits">Takes the hit of each ray, or <see cref="Hit.None"/>.</param>
    /// <param name="threads">Threads to use, at least 1.</param>
    /// <param name="cancel">Ends the work early.</param>
    /// <exception cref="ArgumentException">There are fewer places than rays.</exception>
    public static void Closest(Bvh bvh, Ray[] rays, Hit[] hits, int threads, CancellationToken cancel = default)
    {
        if (hits.Length < rays.Length)
            throw new ArgumentException($"{rays.Length} rays need as many places for hits, and there are {hits.Length}.", nameof(hits));
        int[]? order = bvh.TriangleCount < SortedFrom ? null : Order(rays, threads);
        int chunks = (rays.Length + Chunk - 1) / Chunk;
        Parallel.For(0, chunks, new ParallelOptions { MaxDegreeOfParallelism = threads, CancellationToken = cancel }, chunk =>
        {
            int end = Math.Min((chunk + 1) * Chunk, rays.Length);
            for (int place = chunk * Chunk; place < end; place++)
            {
                int i = order is null ? place : order[place];
                bvh.Closest(rays[i], out hits[i]);
            }
        });
    }

    /// <summary>Numbers of the rays in the order they are cast in; null for the order they came in.</summary>
    private static int[]? Order(Ray[] rays, int threads)
    {
        Vector3 min = new(float.PositiveInfinity), max = new(float.NegativeInfinity);
        double steps = 0;
        for (int i = 0; i < rays.Length; i++)
        {
            min = Vector3.MinNative(min, rays[i].Origin);
            max = Vector3.MaxNative(max, rays[i].Origin);
            if (i > 0)
                steps += Vector3.Distance(rays[i].Origin, rays[i - 1].Origin);
        }
        if (steps <= CloseBy * Vector3.Distance(min, max) * rays.Length)
            return null;
        float extent = MathF.Max(MathF.Max(max.X - min.X, max.Y - min.Y), MathF.Max(max.Z - min.Z, 1e-30f));
        float scale = 1023.99f / extent;
        var items = new ulong[rays.Length];
        Parallel.For(0, (rays.Length + 65535) / 65536, new ParallelOptions { MaxDegreeOfParallelism = threads }, part =>
        {
            for (int i = part * 65536; i < Math.Min(rays.Length, (part + 1) * 65536); i++)
                items[i] = ((ulong)Key(rays[i], min, scale) << 32) | (uint)i;
        });
        var other = new ulong[items.Length];
        for (int shift = 32; shift < 32 + 33; shift += Digit)
        {
            SortByDigit(items, other, shift);
            (items, other) = (other, items);
        }
        var order = new int[items.Length];
        for (int i = 0; i < order.Length; i++)
            order[i] = (int)(uint)items[i];
        return order;
    }

    private static void SortByDigit(ulong[] from, ulong[] to, int shift)
    {
        Span<int> starts = stackalloc int[1 << Digit];
        starts.Clear();
        const ulong Mask = (1 << Digit) - 1;
        foreach (ulong item in from)
            starts[(int)((item >> shift) & Mask)]++;
        int sum = 0;
        for (int i = 0; i < starts.Length; i++)
            (starts[i], sum) = (sum, sum + starts[i]);
        foreach (ulong item in from)
            to[starts[(int)((item >> shift) & Mask)]++] = item;
    }

    /// <summary>Nine bits of place an axis, then the octant, then the last bit of place.</summary>
    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    private static uint Key(in Ray ray, Vector3 min, float scale)
    {
        var at = (ray.Origin - min) * scale;
        uint place = (Spread((uint)at.X) | (Spread((uint)at.Y) << 1) | (Spread((uint)at.Z) << 2)) >> 3;
        uint octant = (ray.Direction.X < 0 ? 1u : 0) | (ray.Direction.Y < 0 ? 2u : 0) | (ray.Direction.Z < 0 ? 4u : 0);
        return (place << 3) | octant;
    }

    /// <summary>Ten bits with two zeros between each.</summary>
    private static uint Spread(uint x)
    {
        x = (x | (x << 16)) & 0x030000ff;
        x = (x | (x << 8)) & 0x0300f00f;
        x = (x | (x << 4)) & 0x030c30c3;
        return (x | (x << 2)) & 0x09249249;
    }
}
