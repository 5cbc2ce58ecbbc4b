using Crumpet.Core.Intake;

namespace Crumpet.Core.Pairs;

/// <summary>One row of the ledger.</summary>
/// <param name="Name">Name of the part.</param>
/// <param name="Low">Numbers of its low objects.</param>
/// <param name="High">Numbers of its high objects.</param>
/// <param name="Tray">Number of its tray from 0; -1 where it is not paired.</param>
public sealed record PartRow(string Name, IReadOnlyList<int> Low, IReadOnlyList<int> High, int Tray)
{
    /// <summary>Whether both sides are there.</summary>
    public bool IsPaired => Low.Count > 0 && High.Count > 0;

    /// <summary>How well the sides fit; null where one is missing.</summary>
    public PartFit? Fit { get; init; }

    /// <summary>How far outside the low surface its rays start, metres.</summary>
    public float OutwardReachMetres { get; init; }

    /// <summary>How far inside the low surface its rays end, metres.</summary>
    public float InwardReachMetres { get; init; }

    /// <summary>Whether the outward reach was measured.</summary>
    public bool OutwardIsFitted { get; init; }

    /// <summary>Whether the inward reach was measured.</summary>
    public bool InwardIsFitted { get; init; }

    /// <summary>What blocks its light; null as the bake is set.</summary>
    public Occluders? Sees { get; init; }

    /// <summary>Numbers of its cage objects.</summary>
    public IReadOnlyList<int> CageObjects { get; init; } = [];

    /// <summary>Where its rays start; null where a side is missing.</summary>
    public CageReport? Cage { get; init; }

    /// <summary>Whether the artist put it on its tray.</summary>
    public bool IsByHand { get; init; }
}

/// <summary>How well a low side and a high side lie on each other.</summary>
/// <param name="Share">Share of the low surface that has high surface within the reach, 0 to 1.</param>
/// <param name="GreatestMetres">Greatest distance from the low to the high surface, of that share.</param>
/// <param name="MeanMetres">Mean distance from the low to the high surface, of that share.</param>
public sealed record PartFit(double Share, double GreatestMetres, double MeanMetres)
{
    /// <summary>The reach it was measured within.</summary>
    public ReachSettings Within { get; init; } = new(0, 0);
}

/// <summary>What is known of the shell that a part's rays start on.</summary>
/// <param name="Kind">Where it comes from.</param>
/// <param name="Direction">Where rays come from over hard edges.</param>
/// <param name="MeanMetres">Mean distance from the low surface, over its vertices, metres.</param>
/// <param name="GreatestMetres">Greatest distance from the low surface, metres.</param>
/// <param name="InwardMetres">Greatest distance that rays go on below the low surface, metres.</param>
/// <param name="Outside">High vertices outside the shell.</param>
/// <param name="OutsideMetres">How far from the shell the one farthest out is, metres.</param>
/// <param name="OutsideAt">Where that is; null where none is outside.</param>
/// <param name="Uncovered">High vertices that lie over no low triangle, so that no ray can see them.</param>
/// <param name="Crossings">Triangles of the shell that cross each other or turn inside out.</param>
/// <param name="CrossingAt">Where one of them is; null where there is none.</param>
/// <param name="Strokes">Strokes of the brushes on it.</param>
public sealed record CageReport(
    CageKind Kind, RayDirection Direction, float MeanMetres, float GreatestMetres, float InwardMetres, int Outside, float OutsideMetres, float[]? OutsideAt,
        int Uncovered,
    int Crossings, float[]? CrossingAt, int Strokes)
{
    /// <summary>Why the part's cage object is not used; empty where nothing is wrong.</summary>
    public string Problem { get; init; } = "";

    /// <summary>How far outside and inside the low surface the part looks: as it was decided, or as measured.</summary>
    public ReachSettings Reach { get; init; } = new(0, 0);
}

/// <summary>Two parts that come near each other.</summary>
/// <param name="One">Row of the part whose rays come nearer.</param>
/// <param name="Two">Row of the part whose high surface they come to.</param>
/// <param name="RayDistanceMetres">Least distance between what rays of the one can touch and the high surface of the other, metres,
/// whichever way round is less; 0 where they touch it.</param>
/// <param name="GapMetres">Least distance between the low surface of the one and the high surface of the other, metres.</param>
/// <param name="From">That place on the low surface.</param>
/// <param name="To">That place on the high surface.</param>
public sealed record Contact(int One, int Two, float RayDistanceMetres, float GapMetres, float[] From, float[] To)
{
    /// <summary>A tenth of a millimetre: what the distance is exact to.</summary>
    public const float Exactness = 1e-4f;

    /// <summary>Whether the two must not lie on one tray.</summary>
    public bool Touches => RayDistanceMetres <= Exactness;
}

/// <summary>What is known of how few trays there can be.</summary>
/// <param name="AtLeast">No plan has fewer trays.</param>
/// <param name="Because">Rows of parts that are all in contact with each other and so force that many; empty where something else does.</param>
/// <param name="Said">What the planner did, one sentence.</param>
public sealed record TrayProof(int AtLeast, IReadOnlyList<int> Because, string Said);

/// <summary>An object that may be the other side of another.</summary>
/// <param name="Low">Number of the low object.</param>
/// <param name="High">Number of the high object.</param>
/// <param name="NameScore">How alike their names are, 0 to 1.</param>
/// <param name="ShapeScore">How much of their surfaces lie on each other, 0 to 1.</param>
/// <param name="Score">Both together, 0 to 1.</param>
/// <param name="IsClear">Whether nothing else comes near it for either of the two.</param>
/// <param name="Rename">Number of the object that takes another name.</param>
/// <param name="NewName">Its new name.</param>
/// <param name="Part">The part they make.</param>
/// <param name="Detail">What tells the renamed object from others of the part; may be empty.</param>
public sealed record Suggestion(int Low, int High, double NameScore, double ShapeScore, double Score, bool IsClear, int Rename, string NewName, string Part,
    string Detail);

/// <summary>Who bakes onto whom.</summary>
/// <param name="Parts">Unpaired rows first, then by name.</param>
/// <param name="TrayCount">How many trays there are.</param>
public sealed record PairReport(IReadOnlyList<PartRow> Parts, int TrayCount)
{
    /// <summary>Parts that come near each other, those in contact first.</summary>
    public IReadOnlyList<Contact> Contacts { get; init; } = [];

    /// <summary>How few trays there can be; null where they are not planned.</summary>
    public TrayProof? Proof { get; init; }

    /// <summary>Other sides for what has none, the likeliest first.</summary>
    public IReadOnlyList<Suggestion> Suggestions { get; init; } = [];

    /// <summary>Suggestions that are clear and above a bar, each object in one at most.</summary>
    /// <param name="bar">Least score, 0 to 1.</param>
    public IReadOnlyList<Suggestion> ClearSuggestions(double bar) => [.. Suggestions.Where(s => s.IsClear && s.Score >= bar).DistinctBy(s => s.Rename)];

    /// <summary>Suggestions to show with a row: of two unpaired rows that suggest each other, the low one has them.</summary>
    public IEnumerable<Suggestion> SuggestionsFor(PartRow row) => row.IsPaired
        ? []
        : Suggestions.Where(s => row.Low.Contains(s.Low) || (row.High.Contains(s.High) && !Parts.Any(o => !o.IsPaired && o.Low.Contains(s.Low))));

    /// <summary>What is recorded where a suggestion is taken: all objects of both rows are one part from then on, whatever their names say later.</summary>
    public PairUp MendOf(Suggestion s, IReadOnlyList<ObjectReport> objects) => Pairing(objects, s.Part, s.Rename, s.Detail, s.Rename == s.Low ? s.High : s.Low);

    /// <summary>The same for an object that joins another's row.</summary>
    /// <param name="objects">Objects, as rows number them.</param>
    /// <param name="part">The part they make.</param>
    /// <param name="joining">Number of the object that joins.</param>
    /// <param name="detail">What tells it from others of the part.</param>
    /// <param name="onto">Number of an object of the row it joins.</param>
    public PairUp Pairing(IReadOnlyList<ObjectReport> objects, string part, int joining, string detail, int onto)
    {
        int[] own = RowOf(joining), others = RowOf(onto);
        // Of a row that is whole only the one is loose.
        int[] joined = Parts.Any(p => p.IsPaired && own.Contains(joining) && p.Low.Concat(p.High).Contains(joining)) ? [joining] : own;
        return new PairUp(part, [.. joined.Union(others).Order().Select(i => new PairMember(objects[i].File, objects[i].SourceName, objects[i].Side,
            i == joining ? detail : objects[i].Detail))]);

        int[] RowOf(int number) => [.. Parts.Where(p => p.Low.Contains(number) || p.High.Contains(number)).SelectMany(p => p.Low.Concat(p.High)).Append(number)
            .Distinct()];
    }

    /// <summary>Rows with both sides.</summary>
    [System.Text.Json.Serialization.JsonIgnore]
    public IEnumerable<PartRow> Paired => Parts.Where(p => p.IsPaired);
}
