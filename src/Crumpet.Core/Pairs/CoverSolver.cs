namespace Crumpet.Core.Pairs;

/// <summary>What a shell must reach: the blend of the offsets of three vertices must be no less than a height.</summary>
/// <param name="A">First vertex.</param>
/// <param name="B">Second vertex.</param>
/// <param name="C">Third vertex.</param>
/// <param name="WeightA">Weight of the first.</param>
/// <param name="WeightB">Weight of the second.</param>
/// <param name="WeightC">Weight of the third.</param>
/// <param name="Height">The height, metres, above 0.</param>
internal readonly record struct Cover(int A, int B, int C, float WeightA, float WeightB, float WeightC, float Height)
{
    public float Reached(ReadOnlySpan<float> offsets) => WeightA * offsets[A] + WeightB * offsets[B] + WeightC * offsets[C];

    public float WeightOf(int vertex) => (vertex == A ? WeightA : 0) + (vertex == B ? WeightB : 0) + (vertex == C ? WeightC : 0);
}

/// <summary>Finds offsets whose sum is nearly the least at which all heights are reached.</summary>
/// <remarks>
/// A linear programme, solved by exact penalties: the sum plus μ times the squares of what is missing, one offset after the other,
/// for growing μ; what is then still missing is added, and what is left over taken away. Source: D. P. Bertsekas, Nonlinear
/// Programming, 1999, sections 2.7 and 4.2. The order of vertices is fixed, so the same input gives the same offsets.
/// </remarks>
internal sealed class CoverSolver
{
    private const int Sweeps = 24;
    private static readonly float[] Penalties = [2, 8, 32, 128, 512];

    private readonly Cover[] covers;
    private readonly int[] starts;
    private readonly int[] ofVertex;

    /// <summary>Prepares.</summary>
    /// <param name="covers">What must be reached.</param>
    /// <param name="vertexCount">How many vertices there are.</param>
    public CoverSolver(Cover[] covers, int vertexCount)
    {
        this.covers = covers;
        starts = new int[vertexCount + 1];
        foreach (var c in covers)
            foreach (int v in (ReadOnlySpan<int>)[c.A, c.B, c.C])
                starts[v + 1]++;
        for (int v = 0; v < vertexCount; v++)
            starts[v + 1] += starts[v];
        ofVertex = new int[starts[^1]];
        int[] next = [.. starts.AsSpan(0, vertexCount)];
        for (int i = 0; i < covers.Length; i++)
            foreach (int v in (ReadOnlySpan<int>)[covers[i].A, covers[i].B, covers[i].C])
                ofVertex[next[v]++] = i;
    }

    /// <summary>Offset of each vertex, metres, none below 0.</summary>
    /// <param name="cancel">Ends the work early.</param>
    public float[] Solve(CancellationToken cancel)
    {
        var offsets = new float[starts.Length - 1];
        float tallest = covers.Length == 0 ? 0 : covers.Max(c => c.Height);
        if (tallest <= 0)
            return offsets;
        foreach (float penalty in Penalties)
        {
            for (int sweep = 0; sweep < Sweeps; sweep++)
            {
                cancel.ThrowIfCancellationRequested();
                // Back and forth, so that no end of the mesh is always last.
                for (int k = 0; k < offsets.Length; k++)
                    offsets[sweep % 2 == 0 ? k : offsets.Length - 1 - k] = Best(sweep % 2 == 0 ? k : offsets.Length - 1 - k, offsets, penalty / tallest);
            }
        }
        Raise(offsets);
        Lower(offsets);
        return offsets;
    }

    /// <summary>The least offset of a vertex at which all is reached, the others being as they are.</summary>
    public float Needed(int vertex, ReadOnlySpan<float> offsets)
    {
        float needed = 0;
        for (int k = starts[vertex]; k < starts[vertex + 1]; k++)
        {
            var c = covers[ofVertex[k]];
            float weight = c.WeightOf(vertex);
            if (weight > 0)
                needed = MathF.Max(needed, (c.Height - (c.Reached(offsets) - weight * offsets[vertex])) / weight);
        }
        return needed;
    }

    /// <summary>Adds what is missing, where it takes least.</summary>
    public void Raise(float[] offsets)
    {
        foreach (var c in covers)
        {
            float missing = c.Height - c.Reached(offsets);
            if (missing <= 0)
                continue;
            float squares = c.WeightA * c.WeightA + c.WeightB * c.WeightB + c.WeightC * c.WeightC;
            // A hair more, so that rounding does not undo it.
            float by = missing * 1.00001f / squares;
            offsets[c.A] += by * c.WeightA;
            offsets[c.B] += by * c.WeightB;
            offsets[c.C] += by * c.WeightC;
        }
    }

    private void Lower(float[] offsets)
    {
        // Half of what is left over first, so that neighbours share it.
        for (int round = 0; round < 6; round++)
        {
            foreach (int v in Enumerable.Range(0, offsets.Length).OrderByDescending(v => offsets[v]).ThenBy(v => v).ToArray())
            {
                float over = offsets[v] - Needed(v, offsets);
                if (over > 0)
                    offsets[v] -= round < 5 ? over / 2 : over;
            }
        }
    }

    /// <summary>The offset that makes offset plus penalties least, the others being as they are.</summary>
    private float Best(int vertex, float[] offsets, float penalty)
    {
        // The slope 1 - 2μ Σ w (missing)₊ grows with the offset; a few steps of Newton's method find where it is 0.
        float x = offsets[vertex];
        for (int step = 0; step < 4; step++)
        {
            float slope = 1, curvature = 0;
            for (int k = starts[vertex]; k < starts[vertex + 1]; k++)
            {
                var c = covers[ofVertex[k]];
                float weight = c.WeightOf(vertex), missing = c.Height - c.Reached(offsets) - weight * (x - offsets[vertex]);
                if (missing <= 0 || weight <= 0)
                    continue;
                slope -= 2 * penalty * weight * missing;
                curvature += 2 * penalty * weight * weight;
            }
            if (curvature == 0)
            {
                // Nothing is missing: down to where something begins to be.
                float needed = Needed(vertex, offsets);
                if (needed <= 0)
                    return 0;
                x = needed * 0.9999f - 1e-9f;
                continue;
            }
            float next = MathF.Max(0, x - slope / curvature);
            if (MathF.Abs(next - x) < 1e-7f)
                return next;
            x = next;
        }
        return x;
    }
}
