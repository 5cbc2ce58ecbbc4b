using Crumpet.Core.Intake;
using Crumpet.Core.Layout;

namespace Crumpet.Core.Building;

/// <summary>An asset that goes into an atlas.</summary>
/// <param name="Name">Its name.</param>
/// <param name="Plan">What was decided for it.</param>
/// <param name="Parts">Names of its parts.</param>
public sealed record AtlasMember(string Name, AssetPlan Plan, IReadOnlyCollection<string> Parts);

/// <summary>Makes one asset of several, whose low sides share their sheets.</summary>
public static class Atlas
{
    /// <summary>Name of a member's file in the atlas.</summary>
    /// <param name="member">Name of the member.</param>
    /// <param name="file">Name of its file.</param>
    public static string FileOf(string member, string file) => $"{AssetBuild.FileNameOf(member)}/{file}";

    /// <summary>Why assets cannot be joined, one sentence, or null where they can.</summary>
    /// <param name="members">Their names.</param>
    public static string? Problem(IReadOnlyCollection<string> members)
    {
        if (members.Count < 2)
            return "An atlas joins two assets or more; mark those that are to share a sheet.";
        return members.GroupBy(AssetBuild.FileNameOf).FirstOrDefault(g => g.Count() > 1) is { } twice
            ? $"{string.Join(" and ", twice)} would have the same folder; rename one." : null;
    }

    /// <summary>
    /// Plan of the atlas: the members' mends, each for its own files; names that two members share are told apart; all parts together
    /// on one sheet, packed. What else is decided is the first member's, what was decided about single parts is left out.
    /// </summary>
    /// <param name="members">At least one.</param>
    public static AssetPlan Join(IReadOnlyList<AtlasMember> members)
    {
        var shared = members.SelectMany(m => m.Parts.Distinct(StringComparer.Ordinal)).GroupBy(p => p, StringComparer.Ordinal).Where(g => g.Count() > 1)
            .Select(g => g.Key).ToHashSet(StringComparer.Ordinal);
        var first = members[0].Plan;
        return first with
        {
            Mends = [.. members.SelectMany(m => MendsOf(m, m.Parts.Any(shared.Contains)))],
            Pairs = first.Pairs with
            {
                Parts = new AssetPlan().Pairs.Parts,
                TrayByHand = new AssetPlan().Pairs.TrayByHand,
                Trays = new AssetPlan().Pairs.Trays,
                Ties = [],
                Strokes = []
            },
            Layout = new LayoutSettings
            {
                Uvs = members.Any(m => m.Plan.Layout.Uvs == UvSource.Unwrap) ? UvSource.Unwrap : UvSource.Keep,
                Pack = true,
                Unwrap = first.Layout.Unwrap,
                PaddingPixels = members.Max(m => m.Plan.Layout.PaddingPixels),
                Rotation = first.Layout.Rotation,
                StackEqual = members.Any(m => m.Plan.Layout.StackEqual),
                Sheets = SheetRule.Together,
            },
        };
    }

    private static IEnumerable<Mend> MendsOf(AtlasMember member, bool isToldApart)
    {
        foreach (var mend in member.Plan.Mends)
        {
            yield return mend switch
            {
                RenameEach each => each with
                {
                    File = FileOf(member.Name, each.File),
                    Names = [.. each.Names.Select(n => n with { File = FileOf(member.Name, n.File) })]
                },
                IntakeMend own => own with { File = FileOf(member.Name, own.File) },
                _ => mend,
            };
        }
        if (isToldApart)
            yield return new RenameByPattern("{name}", $"{AssetBuild.FileNameOf(member.Name)}_{{name}}") { File = FileOf(member.Name, "*") };
    }
}
