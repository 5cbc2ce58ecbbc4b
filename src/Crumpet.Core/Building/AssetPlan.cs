using Crumpet.Core.Baking;
using Crumpet.Core.Binding;
using Crumpet.Core.Channels;
using Crumpet.Core.Checking;
using Crumpet.Core.Intake;
using Crumpet.Core.Layout;
using Crumpet.Core.Pairing;

namespace Crumpet.Core.Building;

/// <summary>A stop of the line.</summary>
public enum Station
{
    /// <summary>Files are read and looked through.</summary>
    Intake,

    /// <summary>Low and high are matched.</summary>
    Pairs,

    /// <summary>UVs are laid out.</summary>
    Layout,

    /// <summary>Maps are baked.</summary>
    Bake,

    /// <summary>Channels are put together.</summary>
    Pack,

    /// <summary>Textures are compressed.</summary>
    Convert,

    /// <summary>Textures are bound to material slots.</summary>
    Bind,

    /// <summary>The package is made.</summary>
    Deliver,
}

/// <summary>Words for stations.</summary>
public static class Stations
{
    // Where the first word of a setting's path does not name its station.
    private static readonly Dictionary<string, Station> BySetting = new(StringComparer.Ordinal)
    {
        ["namePattern"] = Station.Pairs,
        ["trays"] = Station.Pairs,
        ["pairs"] = Station.Pairs,
        ["layout"] = Station.Layout,
        ["bake"] = Station.Bake,
        ["recipe"] = Station.Convert,
        ["bindPattern"] = Station.Bind,
    };

    /// <summary>The station a setting belongs to; null where it is none's.</summary>
    /// <param name="path">Names of the fields that lead to it, with points between.</param>
    public static Station? Of(string path) => BySetting.TryGetValue(path.Split('.')[0], out var station) ? station : null;

    /// <summary>Whether the ticket of a station shows a setting: those of its own, and the reaches where parts are paired by them.</summary>
    public static bool Shows(this Station station, string path) => Of(path) == station || (station == Station.Pairs && path is "bake.outwardReachMetres" or "bake.inwardReachMetres");

    /// <summary>The station of a word, as it stands in addresses, or null where there is none.</summary>
    public static Station? OfWord(string word) =>
        Enum.TryParse<Station>(word, ignoreCase: true, out var station) && Enum.IsDefined(station) && !char.IsAsciiDigit(word[0]) ? station : null;
}

/// <summary>Everything the artist decided for one asset.</summary>
public sealed record AssetPlan : IChecked
{
    /// <summary>Version of this record's meaning.</summary>
    [Within("The version", 1, 1000)]
    public int Version { get; init; } = 1;

    /// <summary>Pattern by which object names are read.</summary>
    [Words("The pattern of names", Convention.LongestPattern)]
    public string NamePattern { get; init; } = Sides.DefaultPattern;

    /// <summary>Mends of what arrived, in the order they are applied.</summary>
    [AtMost(2000)]
    public IReadOnlyList<Mend> Mends { get; init; } = [];

    /// <summary>How parts are spread over trays.</summary>
    [Called("Parts on trays")]
    public TrayMode Trays { get; init; } = TrayMode.Planned;

    /// <summary>What was decided about single parts and trays.</summary>
    public PairSettings Pairs { get; init; } = new();

    /// <summary>What was decided about UVs.</summary>
    public LayoutSettings Layout { get; init; } = new();

    /// <summary>Bake settings.</summary>
    public BakeSettings Bake { get; init; } = new();

    /// <summary>Outputs.</summary>
    public Recipe Recipe { get; init; } = Recipe.Default;

    /// <summary>Pattern by which output names are written and bound.</summary>
    [Words("The pattern of outputs", Convention.LongestPattern)]
    public string BindPattern { get; init; } = Binder.DefaultPattern;

    /// <summary>What is wrong with this plan, one sentence, or null when it can be used.</summary>
    public string? Problem() => FieldRules.Problem(this);

    /// <inheritdoc/>
    public string? ProblemTogether()
    {
        try
        {
            NameReader.Create(NamePattern, new NameRules());
            Convention.Parse(BindPattern, ["asset", "map"]);
            return null;
        }
        catch (FormatException e)
        {
            return e.Message;
        }
    }
}
