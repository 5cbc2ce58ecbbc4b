using System.Numerics;
using Crumpet.Core.Geometry;
using Crumpet.Core.Pairs;

namespace Crumpet.Core.Bake;

/// <summary>A part as far as it decides who sees whom.</summary>
/// <param name="Low">Box of its low objects, metres.</param>
/// <param name="High">Box of each of its high objects, metres.</param>
/// <param name="Rays">Where its rays lie; null where they follow the reaches.</param>
/// <param name="OutwardReachMetres">Outward reach, metres.</param>
/// <param name="InwardReachMetres">Inward reach, metres.</param>
/// <param name="Tray">Number of its tray.</param>
/// <param name="Sees">What blocks its light.</param>
/// <param name="OcclusionRangeMetres">How far away something still occludes, metres; 0 for any distance.</param>
internal sealed record ViewPart(Bounds Low, IReadOnlyList<Bounds> High, RaysRoom? Rays, float OutwardReachMetres, float InwardReachMetres, int Tray,
    Occluders Sees, float OcclusionRangeMetres);

/// <summary>What each part can see: the high objects its rays can meet, and those that block its light. Nothing else changes its maps.</summary>
/// <param name="parts">All parts.</param>
internal sealed class PartViews(IReadOnlyList<ViewPart> parts)
{
    private readonly (int Part, int Number, Bounds Box)[] objects = [.. parts.SelectMany((part, p) => part.High.Select((box, n) => (p, n, box)))];

    /// <summary>High objects a part's rays can meet, its own among them: number of the part, and of the object in it.</summary>
    public IReadOnlyList<(int Part, int Number)> Seen(int part)
    {
        var room = RoomOf(parts[part]);
        return [.. objects.Where(o => o.Part == part || (parts[o.Part].Tray == parts[part].Tray && Meet(room, o.Box))).Select(o => (o.Part, o.Number))];
    }

    /// <summary>High objects that can block a part's light.</summary>
    public IReadOnlyList<(int Part, int Number)> Occluders(int part)
    {
        var rule = parts[part].Sees;
        float range = parts[part].OcclusionRangeMetres;
        bool anywhere = range <= 0;
        var room = anywhere ? default : Grown(RoomOf(parts[part]), range);
        return [.. objects.Where(o => o.Part == part
            || ((rule == Pairs.Occluders.Asset || (rule == Pairs.Occluders.Tray && parts[o.Part].Tray == parts[part].Tray)) && (anywhere || Meet(room, o.Box))))
                .Select(o => (o.Part, o.Number))];
    }

    /// <summary>The box in which all rays of a part lie.</summary>
    public static Bounds RoomOf(ViewPart part)
    {
        float reach = MathF.Max(part.OutwardReachMetres, MathF.Max(part.InwardReachMetres, part.Rays?.InwardMetres ?? 0));
        return Grown(Grown(part.Low, reach).Including(part.Rays?.Starts ?? Bounds.Empty), 1e-4f * (1 + part.Low.Size.Length()));
    }

    /// <summary>How far away something still occludes a part, metres: as it is set, or as far as the part is large.</summary>
    /// <param name="settings">What is set.</param>
    /// <param name="high">Box of its high side, metres.</param>
    public static float OcclusionRange(BakeSettings settings, Bounds high) => settings.OcclusionRangeMetres ?? Lengths.RoundedUp(high.Size.Length());

    /// <summary>A box with room around it, metres.</summary>
    public static Bounds Grown(Bounds box, float by) => new(box.Min - new Vector3(by), box.Max + new Vector3(by));

    /// <summary>Whether two boxes share a point.</summary>
    public static bool Meet(Bounds a, Bounds b) =>
        a.Min.X <= b.Max.X && a.Max.X >= b.Min.X && a.Min.Y <= b.Max.Y && a.Max.Y >= b.Min.Y && a.Min.Z <= b.Max.Z && a.Max.Z >= b.Min.Z;
}
