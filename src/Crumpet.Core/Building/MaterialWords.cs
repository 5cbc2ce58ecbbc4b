using Crumpet.Core.Bind;
using Crumpet.Core.Geometry;

namespace Crumpet.Core.Building;

/// <summary>Says in words how what was decided about a material differs.</summary>
internal static class MaterialWords
{
    /// <summary>One phrase a difference.</summary>
    public static void Changes(string material, MaterialPlan? before, MaterialPlan? after, List<string> said)
    {
        MaterialPlan was = before ?? new(), now = after ?? new();
        foreach (string input in was.ByHand.Keys.Union(now.ByHand.Keys).Order(StringComparer.Ordinal))
        {
            string? old = was.ByHand.GetValueOrDefault(input), put = now.ByHand.GetValueOrDefault(input);
            if (put != old)
                said.Add(put is null ? new TakeOutOf(material, input).Words() : new PutInto(material, input, put).Words());
        }
        if (was.TexturesOf != now.TexturesOf)
            said.Add(new TakeTexturesOf(material, now.TexturesOf ?? "").Words());
        if (was.Model != now.Model)
            said.Add(now.Model is null ? $"Model of {material} left to its textures" : new TakeModel(material, now.Model).Words());
        said.AddRange(now.Opened.Except(was.Opened).Select(t => new OpenTrait(material, t).Words()));
        said.AddRange(was.Opened.Except(now.Opened).Select(t => $"Switch {t.Label} of {material} off"));
        if (was.Traits != now.Traits)
            said.Add(now.Traits is null ? $"{material} left as its source says" : $"What {material} says of its surface changed");
    }
}
