using Crumpet.Core.Pairs;
using FsCheck;
using FsCheck.Xunit;
using Xunit;

namespace Crumpet.Core.Tests.Pairs;

public sealed class TrayTests
{
    [Property(MaxTest = 300)]
    public void No_contact_lies_inside_a_tray_and_no_plan_has_fewer_trays(int seed, PositiveInt size, byte density)
    {
        var random = new Random(seed);
        int count = 1 + size.Get % 9;
        var contacts = RandomContacts(random, count, density / 255.0);
        var plan = TrayPlanner.Plan(Parts(count, random), contacts, new PairSettings());
        Assert.All(contacts, c => Assert.NotEqual(plan.Trays[c.One], plan.Trays[c.Two]));
        Assert.Equal(Fewest(count, contacts), plan.Count);
        Assert.Equal(plan.Count, plan.Proof.AtLeast);
        Assert.Equal(plan.Count, plan.Trays.Distinct().Count());
    }

    [Property(MaxTest = 30)]
    public void Larger_arrangements_keep_contacts_apart_and_never_claim_more_than_is_so(int seed, byte density)
    {
        var random = new Random(seed);
        var contacts = RandomContacts(random, 90, density / 800.0);
        var plan = TrayPlanner.Plan(Parts(90, random), contacts, new PairSettings());
        Assert.All(contacts, c => Assert.NotEqual(plan.Trays[c.One], plan.Trays[c.Two]));
        Assert.InRange(plan.Proof.AtLeast, 1, plan.Count);
        Assert.All(plan.Proof.Because, a => Assert.All(plan.Proof.Because, b => Assert.True(a == b || contacts.Contains((Math.Min(a, b), Math.Max(a, b))))));
    }

    [Property(MaxTest = 200)]
    public void What_the_artist_decided_is_kept(int seed)
    {
        var random = new Random(seed);
        const int Count = 12;
        var contacts = RandomContacts(random, Count, 0.3);
        var settings = new PairSettings
        {
            TrayByHand = new Dictionary<string, int> { ["p0"] = random.Next(3), ["p1"] = random.Next(3) },
            Ties = [new PartTie("p2", "p3", true), new PartTie("p4", "p5", false), new PartTie("p6", "gone", true)],
        };
        var plan = TrayPlanner.Plan(Parts(Count, random), contacts, settings);
        Assert.Equal(settings.TrayByHand["p0"], plan.Trays[0]);
        Assert.Equal(settings.TrayByHand["p1"], plan.Trays[1]);
        Assert.Equal(plan.Trays[2], plan.Trays[3]);
        Assert.NotEqual(plan.Trays[4], plan.Trays[5]);
        // Only what the artist put together may touch.
        (int, int)[] allowed = [(0, 1), (2, 3)];
        Assert.All(contacts.Where(c => plan.Trays[c.One] == plan.Trays[c.Two]), c => Assert.Contains(c, allowed));
        Assert.Equal(contacts.Where(c => plan.Trays[c.One] == plan.Trays[c.Two]), plan.Kept);
    }

    [Fact]
    public void Mycielskis_graph_needs_four_though_no_three_touch_each_other()
    {
        // Source: J. Mycielski, "Sur le coloriage des graphes", 1955: eleven vertices, no triangle, four colours.
        (int, int)[] edges = [(0, 1), (1, 2), (2, 3), (3, 4), (0, 4), (5, 1), (5, 4), (6, 0), (6, 2), (7, 1), (7, 3), (8, 2), (8, 4), (9, 0), (9, 3), (10, 5),
            (10, 6), (10, 7), (10, 8), (10, 9)];
        var plan = TrayPlanner.Plan(Parts(11, new Random(1)), [.. edges.Select(e => (Math.Min(e.Item1, e.Item2), Math.Max(e.Item1, e.Item2)))],
            new PairSettings());
        Assert.Equal((4, 4), (plan.Count, plan.Proof.AtLeast));
        Assert.Empty(plan.Proof.Because);
    }

    [Fact]
    public void Forty_parts_in_one_tangle_are_proved()
    {
        var random = new Random(5);
        var contacts = RandomContacts(random, 40, 0.5);
        var plan = TrayPlanner.Plan(Parts(40, random), contacts, new PairSettings());
        Assert.Equal(plan.Count, plan.Proof.AtLeast);
    }

    [Fact]
    public void Trays_carry_about_as_many_triangles()
    {
        var parts = Enumerable.Range(0, 60).Select(i => new TrayPart($"p{i}", 1000 + i * 37 % 500)).ToArray();
        var plan = TrayPlanner.Plan(parts, [.. Enumerable.Range(0, 30).Select(i => (2 * i, 2 * i + 1))], new PairSettings());
        int[] loads = [.. plan.Trays.Zip(parts).GroupBy(p => p.First).Select(g => g.Sum(p => p.Second.Triangles))];
        Assert.Equal(2, loads.Length);
        Assert.InRange((double)loads.Max() / loads.Min(), 1, 1.02);
    }

    [Fact]
    public void It_says_what_it_did()
    {
        var slats = Enumerable.Range(1, 9).Select(i => new TrayPart($"slat_{i:00}", 100)).ToArray();
        Assert.Equal("9 parts on 2 trays: no fewer are possible, as slat_01 and slat_02 touch each other; odd and even slats apart.",
            TrayPlanner.Plan(slats, [.. Enumerable.Range(0, 8).Select(i => (i, i + 1))], new PairSettings()).Proof.Said);
        Assert.Equal("9 parts on 1 tray: no two of them are in contact.", TrayPlanner.Plan(slats, [], new PairSettings()).Proof.Said);
    }

    private static TrayPart[] Parts(int count, Random random) => [.. Enumerable.Range(0, count).Select(i => new TrayPart($"p{i}", random.Next(1, 1000)))];

    private static (int One, int Two)[] RandomContacts(Random random, int count, double density) =>
        [.. Enumerable.Range(0, count).SelectMany(i => Enumerable.Range(i + 1, count - i - 1).Select(j => (i, j))).Where(_ => random.NextDouble() < density)];

    /// <summary>Tries all ways to put parts on one tray, then on two, and so on.</summary>
    private static int Fewest(int count, (int One, int Two)[] contacts)
    {
        for (int trays = 1; ; trays++)
        {
            if (Try(0, new int[count], trays))
                return trays;
        }

        bool Try(int part, int[] at, int trays)
        {
            if (part == count)
                return true;
            for (at[part] = 0; at[part] < trays; at[part]++)
                if (!contacts.Any(c => c.Two == part && at[c.One] == at[part]) && Try(part + 1, at, trays))
                    return true;
            return false;
        }
    }
}
