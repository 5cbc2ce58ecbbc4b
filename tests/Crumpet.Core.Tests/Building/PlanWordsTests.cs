using System.Collections;
using System.Reflection;
using Crumpet.Core.Building;
using Xunit;

namespace Crumpet.Core.Tests.Building;

/// <summary>Every decision has words, whatever it is about.</summary>
public sealed class PlanWordsTests
{
    [Fact]
    public void Every_property_of_a_plan_that_changes_is_told()
    {
        var plan = new AssetPlan();
        int walked = 0;
        foreach (var (path, changed) in Changes(plan, "", v => (AssetPlan)v))
        {
            walked++;
            var words = PlanWords.Changes(plan, changed);
            Assert.True(words.Count > 0 && words.All(w => w.Length > 0), $"A change of {path} has no words.");
        }
        Assert.InRange(walked, 50, 1000);
    }

    /// <summary>The plan with each single value changed, one after another.</summary>
    private static IEnumerable<(string Path, AssetPlan Plan)> Changes(object record, string path, Func<object, AssetPlan> whole)
    {
        var copy = record.GetType().GetMethod("<Clone>$")!;
        foreach (var property in record.GetType().GetProperties().Where(p => p.SetMethod is not null && p.GetIndexParameters().Length == 0))
        {
            object? value = property.GetValue(record);
            AssetPlan With(object? other)
            {
                object clone = copy.Invoke(record, null)!;
                property.SetValue(clone, other);
                return whole(clone);
            }

            string name = $"{path}{property.Name}";
            if (value is not null && value is not string && value is not IEnumerable && value.GetType().GetMethod("<Clone>$") is not null)
            {
                foreach (var inner in Changes(value, name + ".", With!))
                    yield return inner;
            }
            else if (Other(Nullable.GetUnderlyingType(property.PropertyType) ?? property.PropertyType, value) is { } other)
            {
                yield return (name, With(other));
            }
        }
    }

    private static object? Other(Type type, object? value) =>
        type == typeof(bool) ? !(bool)(value ?? false)
        : type == typeof(int) ? (int)(value ?? 0) + 1
        : type == typeof(float) ? (float)(value ?? 0f) + 0.25f
        : type == typeof(double) ? (double)(value ?? 0.0) + 0.25
        : type == typeof(string) ? $"{value}_other"
        : type.IsEnum ? Enum.GetValues(type).Cast<object>().First(v => !v.Equals(value))
        : null;
}
