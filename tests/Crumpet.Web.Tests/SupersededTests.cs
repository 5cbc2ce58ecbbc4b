using System.Globalization;
using System.Text;
using Crumpet.Core.Building;
using Crumpet.Storage;
using Microsoft.EntityFrameworkCore;
using Xunit;

namespace Crumpet.Web.Tests;

/// <summary>Nobody waits for what nobody wants any more.</summary>
public sealed class SupersededTests(SharedApp shared) : SharedAppTests(shared)
{
    [Fact]
    public async Task A_layout_that_a_later_decision_makes_pointless_ends_by_itself_and_its_goal_is_carried_on()
    {
        // Enough triangles of no common edge that turning them into place takes longer than this test.
        var low = new StringBuilder("o field_low\n");
        for (int i = 0; i < 6000; i++)
        {
            int x = i % 80, z = i / 80;
            low.Append(CultureInfo.InvariantCulture, $"v {x} 0 {z}\nv {x + 0.3 + i % 7 * 0.1} 0 {z}\nv {x} 0 {z + 0.2 + i % 5 * 0.1}\n");
            low.Append(CultureInfo.InvariantCulture, $"f {3 * i + 1} {3 * i + 3} {3 * i + 2}\n");
        }
        string asset = await DropAsync(Client, ("field_low.obj", low.ToString()), ("field_high.obj", High));
        int id = int.Parse(asset.Split('/')[^1], CultureInfo.InvariantCulture);
        await PostAsync(Client, $"{asset}/deliver", "Run", []);
        var first = await RunAsync(r => r.State == RunState.Running && r.Station == Station.Layout);
        await PostAsync(Client, $"{asset}/layout", "Lay",
            new() { ["size"] = "256", ["islands"] = "Keep", ["padding"] = "1", ["rotation"] = "None", ["density"] = "" });
        await PostAsync(Client, $"{asset}/layout", "Run", []);
        var ended = await RunAsync(r => r.Id == first.Id && r.State == RunState.Cancelled);
        Assert.Contains("makes the rest of it pointless", ended.Message, StringComparison.Ordinal);
        var later = await RunAsync(r => r.Id > first.Id);
        Assert.True(later.UpTo.Number >= first.UpTo.Number);
        await PostAsync(Client, $"{asset}/layout", "Cancel", new() { ["run"] = later.Id.ToString(CultureInfo.InvariantCulture) });
        await RunAsync(r => r.Id == later.Id && r.State != RunState.Running && r.State != RunState.Queued);

        async Task<Run> RunAsync(Func<Run, bool> which)
        {
            for (int i = 0; i < 600; i++)
            {
                await using var db = new CrumpetDb(Database.Options(Shared.DataFolder));
                if ((await db.Runs.Where(r => r.AssetId == id).ToListAsync()).Find(r => which(r)) is { } run)
                    return run;
                await Task.Delay(100);
            }
            throw new TimeoutException("No run came to be as it should.");
        }
    }
}
