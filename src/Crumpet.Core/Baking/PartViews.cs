using System.Numerics;
using Crumpet.Core.Geometry;
using Crumpet.Core.Pairing;

namespace Crumpet.Core.Baking;

/// <summary>What each part can see: the high objects its rays can meet, and those that block its light. Nothing else changes its maps.</summary>
internal sealed class PartViews
{
    private readonly BakeInput input;
    private readonly BakeSettings settings;
    private readonly int[] trayOf;
    private readonly HighObject[] objects;
    private readonly Bounds[] bounds;
    private readonly Dictionary<int, IReadOnlyList<HighObject>> seen = [], occluders = [];

    public PartViews(BakeInput input, BakeSettings settings)
    {
        this.input = input;
        this.settings = settings;
        trayOf = new int[input.Parts.Count];
        for (int tray = 0; tray < input.Trays.Count; tray++)
            foreach (int part in input.Trays[tray].Parts)
                trayOf[part] = tray;
        objects = [.. input.Parts.SelectMany((part, p) => part.High.Select((mesh, n) => new HighObject(p, n, mesh)))];
        bounds = [.. objects.Select(o => o.Mesh.Bounds())];
    }

    /// <summary>Number of a part's tray.</summary>
    public int TrayOf(int part) => trayOf[part];

    /// <summary>What blocks a part's light.</summary>
    public Occluders RuleOf(int part) => input.Parts[part].Sees ?? settings.Occluders;

    /// <summary>A part's own high objects.</summary>
    public IEnumerable<HighObject> Own(int part) => objects.Where(o => o.Part == part);

    /// <summary>High objects a part's rays can meet, its own among them.</summary>
    public IReadOnlyList<HighObject> Seen(int part)
    {
        if (!seen.TryGetValue(part, out var known))
        {
            var room = RoomOf(part);
            seen.Add(part, known = [.. objects.Where((o, i) => o.Part == part || (trayOf[o.Part] == trayOf[part] && Meet(room, bounds[i])))]);
        }
        return known;
    }

    /// <summary>High objects that can block a part's light.</summary>
    public IReadOnlyList<HighObject> Occluders(int part)
    {
        if (occluders.TryGetValue(part, out var known))
            return known;
        var rule = RuleOf(part);
        bool anywhere = settings.OcclusionRangeMetres <= 0;
        var room = anywhere ? default : Grown(RoomOf(part), settings.OcclusionRangeMetres);
        occluders.Add(part, known = [.. objects.Where((o, i) => o.Part == part
            || ((rule == Pairing.Occluders.Asset || (rule == Pairing.Occluders.Tray && trayOf[o.Part] == trayOf[part])) && (anywhere || Meet(room, bounds[i]))))]);
        return known;
    }

    /// <summary>The box in which all rays of a part lie.</summary>
    private Bounds RoomOf(int number)
    {
        var part = input.Parts[number];
        float reach = part.OutwardReachMetres ?? settings.OutwardReachMetres, inward = part.InwardReachMetres ?? settings.InwardReachMetres;
        var box = part.Low.Aggregate(Bounds.Empty, (b, m) => b.Including(m.Bounds()));
        var starts = Bounds.Empty;
        foreach (var rays in part.Rays ?? [])
        {
            foreach (var start in rays.Cage ?? [])
                starts = starts.Including(start);
            foreach (float end in rays.Inward)
                inward = MathF.Max(inward, end);
        }
        return Grown(Grown(box, MathF.Max(reach, inward)).Including(starts), 1e-4f * (1 + box.Size.Length()));
    }

    private static Bounds Grown(Bounds box, float by) => new(box.Min - new Vector3(by), box.Max + new Vector3(by));

    private static bool Meet(Bounds a, Bounds b) =>
        a.Min.X <= b.Max.X && a.Max.X >= b.Min.X && a.Min.Y <= b.Max.Y && a.Max.Y >= b.Min.Y && a.Min.Z <= b.Max.Z && a.Max.Z >= b.Min.Z;
}
