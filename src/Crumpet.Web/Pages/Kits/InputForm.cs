using Crumpet.Core.Checking;
using Crumpet.Core.Geometry;
using Crumpet.Core.Imaging;
using Crumpet.Core.Targets;

namespace Crumpet.Web.Pages.Kits;

/// <summary>A material input as it is typed: lists with commas between.</summary>
public sealed class InputForm
{
    public string? Name { get; set; }
    public string? Map { get; set; }
    public string? Also { get; set; }
    public ColourMeaning Meaning { get; set; }
    public string? Channels { get; set; }
    public bool Needed { get; set; }
    public string? OpenedBy { get; set; }
    public string? Fills { get; set; }

    /// <summary>A list as it is typed.</summary>
    public static string Listed<T>(IEnumerable<T> all) => string.Join(", ", all);

    /// <summary>What an input feeds, as it is typed.</summary>
    public static string Said(InputFill fill) => fill.Slot.Channels == 3 ? fill.Slot.Word : $"{fill.Slot.Word} {fill.Channel.ToString().ToLowerInvariant()}";

    /// <summary>The input that was typed.</summary>
    /// <exception cref="FormatException">One sentence: a word is none of those there are, or a number is none.</exception>
    public MaterialInput Read()
    {
        var channels = FieldRules.Of<MaterialInput, WithinAttribute>(nameof(MaterialInput.Channels));
        return new MaterialInput((Name ?? "").Trim(), (Map ?? "").Trim(), Meaning)
        {
            Also = [.. Words(Also)],
            Channels = (int)channels.Read(Channels),
            Needed = Needed,
            OpenedBy = [.. Words(OpenedBy).Select(w => Entry(MaterialTrait.Table, w, "a trait of a material"))],
            Fills = [.. Words(Fills).Select(Fill)],
        };
    }

    private static string[] Words(string? typed) => (typed ?? "").Split(',', StringSplitOptions.TrimEntries | StringSplitOptions.RemoveEmptyEntries);

    private static InputFill Fill(string typed)
    {
        string[] parts = typed.Split(' ', StringSplitOptions.RemoveEmptyEntries);
        var slot = Entry(MaterialSlot.Table, parts[0], "a slot of a material");
        if (parts.Length == 1)
            return new InputFill(slot);
        return Enum.TryParse(parts[1], true, out PictureChannel channel) && Enum.IsDefined(channel) && parts.Length == 2 ? new InputFill(slot, channel)
            : throw new FormatException($"'{FieldRules.Quoted(typed)}' feeds nothing; write a slot and r, g, b or a.");
    }

    private static T Entry<T>(Table<T> table, string word, string what)
        where T : class, IEntry<T> => table.Find(word)
            ?? throw new FormatException($"'{FieldRules.Quoted(word)}' is not {what}; there are {string.Join(", ", table.All.Select(e => e.Word))}.");
}
