using System.Numerics;

namespace Crumpet.Core.Geometry;

/// <summary>Coarse versions of dense meshes, in time linear in their size: vertices of one grid cell become one point.</summary>
/// <remarks>
/// Source: J. Rossignac and P. Borrel, "Multi-resolution 3D approximations for rendering complex scenes", 1993; the point of a cell
/// minimises its triangles' quadrics as in P. Lindstrom, "Out-of-core simplification of large polygonal models", 2000.
/// Normals that point along different axes stay apart within a cell, so that edges of boxes stay crisp.
/// </remarks>
internal static class PreviewClusters
{
    // Weight of the cell's mean beside its quadrics: keeps flat cells, whose best point is a plane, from wandering.
    private const double MeanWeight = 0.02;

    /// <summary>A coarse version of a mesh.</summary>
    /// <param name="mesh">The dense mesh.</param>
    /// <param name="cell">Side of a cell, metres, over zero.</param>
    public static PreviewMesh Simplify(PreviewMesh mesh, float cell)
    {
        var cells = new Dictionary<(int, int, int), int>();
        var cellOf = new int[mesh.Positions.Length];
        for (int i = 0; i < cellOf.Length; i++)
        {
            var p = mesh.Positions[i] / cell;
            var key = ((int)MathF.Floor(p.X), (int)MathF.Floor(p.Y), (int)MathF.Floor(p.Z));
            if (!cells.TryGetValue(key, out int number))
                cells.Add(key, number = cells.Count);
            cellOf[i] = number;
        }
        var points = BestPoints(mesh, cells, cellOf, cell);
        var vertices = new Dictionary<(int Cell, int Axis, ushort Material), int>();
        var vertexOf = new int[cellOf.Length];
        var normals = new List<Vector3>();
        var firsts = new List<int>();
        for (int i = 0; i < cellOf.Length; i++)
        {
            var normal = mesh.NormalOf(i);
            var key = (cellOf[i], MainAxis(normal), mesh.Attributes[i].Material);
            if (!vertices.TryGetValue(key, out int vertex))
            {
                vertices.Add(key, vertex = vertices.Count);
                normals.Add(Vector3.Zero);
                firsts.Add(i);
            }
            normals[vertex] += normal;
            vertexOf[i] = vertex;
        }
        var indices = new List<int>(mesh.Indices.Length / 4);
        for (int t = 0; t < mesh.Indices.Length; t += 3)
        {
            int a = mesh.Indices[t], b = mesh.Indices[t + 1], c = mesh.Indices[t + 2];
            if (cellOf[a] != cellOf[b] && cellOf[b] != cellOf[c] && cellOf[c] != cellOf[a])
                indices.AddRange([vertexOf[a], vertexOf[b], vertexOf[c]]);
        }
        return Compact(mesh, points, cellOf, firsts, normals, indices);
    }

    private static PreviewMesh Compact(PreviewMesh mesh, Vector3[] points, int[] cellOf, List<int> firsts, List<Vector3> normals, List<int> indices)
    {
        var kept = new int[firsts.Count];
        Array.Fill(kept, -1);
        var positions = new List<Vector3>();
        var attributes = new List<PreviewAttributes>();
        for (int i = 0; i < indices.Count; i++)
        {
            int vertex = indices[i];
            if (kept[vertex] < 0)
            {
                kept[vertex] = positions.Count;
                positions.Add(points[cellOf[firsts[vertex]]]);
                var (x, y) = OctahedralNormal.Encode(Vector3.Normalize(normals[vertex]));
                attributes.Add(mesh.Attributes[firsts[vertex]] with { Normal = (ushort)x | (uint)(ushort)y << 16 });
            }
            indices[i] = kept[vertex];
        }
        return new PreviewMesh([.. positions], [.. attributes], [], [.. indices]);
    }

    private static Vector3[] BestPoints(PreviewMesh mesh, Dictionary<(int X, int Y, int Z), int> cells, int[] cellOf, float cell)
    {
        var sums = new Quadric[cells.Count];
        var centres = new Vector3[cells.Count];
        foreach (var ((x, y, z), number) in cells)
            centres[number] = (new Vector3(x, y, z) + new Vector3(0.5f)) * cell;
        for (int i = 0; i < cellOf.Length; i++)
            sums[cellOf[i]].AddPoint(mesh.Positions[i] - centres[cellOf[i]]);
        for (int t = 0; t < mesh.Indices.Length; t += 3)
        {
            Vector3 a = mesh.Positions[mesh.Indices[t]], b = mesh.Positions[mesh.Indices[t + 1]], c = mesh.Positions[mesh.Indices[t + 2]];
            var cross = Vector3.Cross(b - a, c - a);
            float length = cross.Length();
            if (!(length > 0))
                continue;
            for (int i = 0; i < 3; i++)
            {
                int number = cellOf[mesh.Indices[t + i]];
                sums[number].AddPlane(cross / length, a - centres[number], length);
            }
        }
        var points = new Vector3[sums.Length];
        var half = new Vector3(cell / 2);
        for (int i = 0; i < points.Length; i++)
            points[i] = centres[i] + Vector3.Clamp(sums[i].Best(), -half, half);
        return points;
    }

    private static int MainAxis(Vector3 n)
    {
        float x = MathF.Abs(n.X), y = MathF.Abs(n.Y), z = MathF.Abs(n.Z);
        return x >= y && x >= z ? (n.X < 0 ? 0 : 1) : y >= z ? (n.Y < 0 ? 2 : 3) : n.Z < 0 ? 4 : 5;
    }

    /// <summary>Squared distances to planes, summed: a symmetric 3 × 3 matrix and a vector; and the mean of points.</summary>
    private struct Quadric
    {
        private double xx, xy, xz, yy, yz, zz, bx, by, bz, px, py, pz;
        private int count;

        public void AddPoint(Vector3 p)
        {
            (px, py, pz) = (px + p.X, py + p.Y, pz + p.Z);
            count++;
        }

        public void AddPlane(Vector3 n, Vector3 on, float weight)
        {
            double d = Vector3.Dot(n, on) * (double)weight, x = n.X * (double)weight, y = n.Y * (double)weight;
            xx += x * n.X;
            xy += x * n.Y;
            xz += x * n.Z;
            yy += y * n.Y;
            yz += y * n.Z;
            zz += n.Z * (double)n.Z * weight;
            (bx, by, bz) = (bx + d * n.X, by + d * n.Y, bz + d * n.Z);
        }

        public readonly Vector3 Best()
        {
            double mx = px / count, my = py / count, mz = pz / count, e = MeanWeight * (xx + yy + zz);
            if (!(e > 0))
                return new Vector3((float)mx, (float)my, (float)mz);
            double a = xx + e, d = yy + e, f = zz + e, u = bx + e * mx, v = by + e * my, w = bz + e * mz;
            // Cramer's rule on the symmetric matrix (a xy xz; xy d yz; xz yz f), positive definite by its added diagonal.
            double c0 = d * f - yz * yz, c1 = xz * yz - xy * f, c2 = xy * yz - xz * d, det = a * c0 + xy * c1 + xz * c2;
            double c3 = a * f - xz * xz, c4 = xy * xz - a * yz, c5 = a * d - xy * xy;
            return new Vector3((float)((c0 * u + c1 * v + c2 * w) / det), (float)((c1 * u + c3 * v + c4 * w) / det), (float)((c2 * u + c4 * v + c5 * w) / det));
        }
    }
}
