namespace Crumpet.Core.Pairs;

/// <summary>What the planner needs to know of a part.</summary>
/// <param name="Name">Its name.</param>
/// <param name="Triangles">Triangles of its high side.</param>
public sealed record TrayPart(string Name, int Triangles);

/// <summary>Parts on trays.</summary>
/// <param name="Trays">Tray of each part, from 0.</param>
/// <param name="Count">Trays.</param>
/// <param name="Proof">How few there can be.</param>
/// <param name="Kept">Pairs of parts in contact that lie on one tray all the same, because the artist put them there.</param>
public sealed record TrayPlan(int[] Trays, int Count, TrayProof Proof, IReadOnlyList<(int One, int Two)> Kept);

/// <summary>Spreads parts over the fewest trays such that no two in contact share one, about as many triangles on each.</summary>
public static class TrayPlanner
{
    /// <summary>Plans.</summary>
    /// <param name="parts">Parts.</param>
    /// <param name="contacts">Pairs of parts that must not share a tray.</param>
    /// <param name="settings">What the artist decided; decisions are kept even where they put parts in contact together.</param>
    /// <param name="cancel">Ends the work early.</param>
    public static TrayPlan Plan(IReadOnlyList<TrayPart> parts, IReadOnlyList<(int One, int Two)> contacts, PairSettings settings,
        CancellationToken cancel = default)
    {
        int[] group = Grouped(parts, settings);
        int groups = group.Length == 0 ? 0 : group.Max() + 1;
        var given = Enumerable.Repeat(-1, groups).ToArray();
        for (int i = parts.Count - 1; i >= 0; i--)
            if (settings.TrayByHand.TryGetValue(parts[i].Name, out int tray))
                given[group[i]] = tray;
        var neighbours = Enumerable.Range(0, groups).Select(_ => new HashSet<int>()).ToArray();
        var byName = parts.Select((p, i) => (p.Name, i)).ToDictionary(p => p.Name, p => p.i, StringComparer.Ordinal);
        var apart = settings.Ties.Where(t => !t.Together && byName.ContainsKey(t.One) && byName.ContainsKey(t.Two))
            .Select(t => (One: byName[t.One], Two: byName[t.Two]));
        foreach (var (one, two) in contacts.Concat(apart))
        {
            if (group[one] == group[two])
                continue;
            neighbours[group[one]].Add(group[two]);
            neighbours[group[two]].Add(group[one]);
        }
        var weights = new long[groups];
        for (int i = 0; i < parts.Count; i++)
            weights[group[i]] += parts[i].Triangles;
        var colouring = GraphColouring.Colour(neighbours, given, cancel);
        int[] balanced = Balance(colouring, neighbours, given, weights);
        int[] trays = [.. group.Select(g => balanced[g])];
        var kept = contacts.Where(c => trays[c.One] == trays[c.Two]).ToArray();
        // One part of each group of a clique stands for it.
        var because = colouring.Clique.Count == colouring.AtLeast ? colouring.Clique.Select(g => Array.IndexOf(group, g)).ToArray() : [];
        var proof = new TrayProof(colouring.AtLeast, because, TrayWords.Say(parts, trays, colouring.Count, colouring.AtLeast, because));
        return new TrayPlan(trays, colouring.Count, proof, kept);
    }

    /// <summary>Number of the group of each part: parts tied together are one.</summary>
    private static int[] Grouped(IReadOnlyList<TrayPart> parts, PairSettings settings)
    {
        var leader = Enumerable.Range(0, parts.Count).ToArray();
        var byName = parts.Select((p, i) => (p.Name, i)).ToDictionary(p => p.Name, p => p.i, StringComparer.Ordinal);
        foreach (var tie in settings.Ties.Where(t => t.Together))
        {
            if (!byName.TryGetValue(tie.One, out int one) || !byName.TryGetValue(tie.Two, out int two))
                continue;
            int from = Math.Max(leader[one], leader[two]), to = Math.Min(leader[one], leader[two]);
            for (int i = 0; i < leader.Length; i++)
                if (leader[i] == from)
                    leader[i] = to;
        }
        // A part put elsewhere by hand leaves its group.
        for (int i = 0; i < leader.Length; i++)
        {
            if (settings.TrayByHand.TryGetValue(parts[i].Name, out int tray) && Enumerable.Range(0, i)
                .Any(j => leader[j] == leader[i] && settings.TrayByHand.TryGetValue(parts[j].Name, out int other) && other != tray))
                leader[i] = i;
        }
        var numbers = leader.Distinct().Order().Select((l, n) => (l, n)).ToDictionary(p => p.l, p => p.n);
        return [.. leader.Select(l => numbers[l])];
    }

    /// <summary>Other trays for parts that may lie elsewhere, until no move makes the fullest tray lighter.</summary>
    private static int[] Balance(Colouring colouring, HashSet<int>[] neighbours, int[] given, long[] weights)
    {
        int[] trays = [.. colouring.Colours];
        int count = colouring.Count;
        var load = new long[count];
        // Whole components first: their colours can change places, the heaviest onto the emptiest tray.
        foreach (int[] component in GraphColouring.Components(neighbours).OrderByDescending(c => c.Sum(v => weights[v])).ThenBy(c => c[0]))
        {
            if (!component.Any(v => given[v] >= 0))
            {
                var heaviest = component.GroupBy(v => trays[v]).OrderByDescending(g => g.Sum(v => weights[v])).ThenBy(g => g.Key).Select(g => g.ToArray())
                    .ToArray();
                int[] emptiest = [.. Enumerable.Range(0, count).OrderBy(t => load[t]).ThenBy(t => t)];
                for (int i = 0; i < heaviest.Length; i++)
                    foreach (int v in heaviest[i])
                        trays[v] = emptiest[i];
            }
            foreach (int v in component)
                load[trays[v]] += weights[v];
        }
        for (bool moved = true; moved;)
        {
            moved = false;
            foreach (int v in Enumerable.Range(0, trays.Length).Where(v => given[v] < 0).OrderByDescending(v => weights[v]).ThenBy(v => v))
            {
                int from = trays[v];
                int to = Enumerable.Range(0, count).Where(t => t != from && !neighbours[v].Any(n => trays[n] == t)).OrderBy(t => load[t]).ThenBy(t => t)
                    .FirstOrDefault(-1);
                if (to < 0 || load[to] + weights[v] >= load[from])
                    continue;
                load[from] -= weights[v];
                load[to] += weights[v];
                trays[v] = to;
                moved = true;
            }
        }
        return trays;
    }
}
