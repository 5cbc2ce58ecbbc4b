namespace Crumpet.Core.Pairs;

/// <summary>Makes the ledger: rows before anything was measured, and with trays when all is.</summary>
public static class PairPlanner
{
    /// <summary>One row a part with the reaches its rays are shaped by; a tray chosen by hand is known before the plan.</summary>
    public static IReadOnlyList<PartRow> Rows(PairRules rules) =>
        [.. Matching.Rows(rules.Match).Select(r => WithReach(r, rules.Settings.TrayByHand.GetValueOrDefault(r.Name, -1), rules))];

    /// <summary>Puts parts on trays.</summary>
    /// <param name="rules">What was decided.</param>
    /// <param name="rows">As <see cref="Rows"/> gave them.</param>
    /// <param name="fits">How each row's sides fit; null where one is missing.</param>
    /// <param name="cages">What is known of each row's shell; null where a side is missing.</param>
    /// <param name="contacts">Rows that come near each other.</param>
    /// <param name="suggestions">Other sides for what has none.</param>
    /// <param name="cancel">Ends the work early.</param>
    public static PairReport Plan(
        PairRules rules, IReadOnlyList<PartRow> rows, IReadOnlyList<PartFit?> fits, IReadOnlyList<CageReport?> cages, IReadOnlyList<Contact> contacts,
            IReadOnlyList<Suggestion> suggestions,
        CancellationToken cancel)
    {
        var (trays, count, proof) = Spread(rules, rows, contacts, cancel);
        var planned = rows.Select((row, i) => OnTray(
            row with
            {
                Fit = fits[i],
                Tray = trays[i],
                Cage = cages[i],
                IsByHand = row.IsPaired && rules.Mode == TrayMode.Planned && rules.Settings.TrayByHand.ContainsKey(row.Name),
            }, rules));
        return new PairReport([.. planned], count) { Contacts = contacts, Proof = proof, Suggestions = suggestions };
    }

    /// <summary>The row with the reaches that hold on a tray; -1 where its tray is not known yet.</summary>
    private static PartRow WithReach(PartRow row, int onTray, PairRules rules)
    {
        var own = rules.Settings.Parts.GetValueOrDefault(row.Name);
        var tray = rules.Settings.Trays.GetValueOrDefault(onTray);
        var fitted = rules.Fitted.GetValueOrDefault(row.Name);
        float? outward = own?.OutwardReachMetres ?? tray?.OutwardReachMetres ?? rules.OutwardReachMetres,
            inward = own?.InwardReachMetres ?? tray?.InwardReachMetres ?? rules.InwardReachMetres;
        return row with
        {
            OutwardReachMetres = outward ?? fitted?.OutwardReachMetres ?? 0,
            InwardReachMetres = inward ?? fitted?.InwardReachMetres ?? 0,
            OutwardIsFitted = outward is null,
            InwardIsFitted = inward is null,
        };
    }

    private static PartRow OnTray(PartRow row, PairRules rules)
    {
        if (!row.IsPaired)
            return row;
        var own = rules.Settings.Parts.GetValueOrDefault(row.Name);
        var tray = rules.Settings.Trays.GetValueOrDefault(row.Tray);
        return WithReach(row, row.Tray, rules) with
        {
            Sees = own?.Sees ?? (tray?.OthersOcclude is { } others ? others ? Occluders.Asset : Occluders.Tray : null),
        };
    }

    private static (int[] Trays, int Count, TrayProof? Proof) Spread(PairRules rules, IReadOnlyList<PartRow> rows, IReadOnlyList<Contact> contacts,
        CancellationToken cancel)
    {
        int[] paired = [.. Enumerable.Range(0, rows.Count).Where(i => rows[i].IsPaired)];
        var trays = Enumerable.Repeat(-1, rows.Count).ToArray();
        if (paired.Length == 0)
            return (trays, 0, null);
        if (rules.Mode != TrayMode.Planned)
        {
            for (int k = 0; k < paired.Length; k++)
                trays[paired[k]] = rules.Mode == TrayMode.One ? 0 : k;
            return (trays, rules.Mode == TrayMode.One ? 1 : paired.Length, null);
        }
        var place = paired.Select((row, k) => (row, k)).ToDictionary(p => p.row, p => p.k);
        var plan = TrayPlanner.Plan(
            [.. paired.Select(i => new TrayPart(rows[i].Name, rows[i].High.Sum(o => rules.Match.Objects[o].Triangles)))],
            [.. contacts.Where(c => c.Touches).Select(c => (place[c.One], place[c.Two]))], rules.Settings, cancel);
        for (int k = 0; k < paired.Length; k++)
            trays[paired[k]] = plan.Trays[k];
        return (trays, plan.Count, plan.Proof with { Because = [.. plan.Proof.Because.Select(k => paired[k])] });
    }
}
