using System.ComponentModel;
using System.Globalization;
using System.Text.Json;
using System.Text.Json.Serialization;

namespace Crumpet.Core.Checking;

/// <summary>An entry of a <see cref="Table{T}"/>: all there is to say of one thing, known by a word.</summary>
public interface IEntry
{
    /// <summary>What stands for it in files, forms and addresses: a small letter, then letters, digits and underscores.</summary>
    string Word { get; }

    /// <summary>What stood for it in files of earlier versions, which are read all the same; null where it was always the same.</summary>
    string? FormerWord => null;
}

/// <summary>An entry that knows its table.</summary>
/// <typeparam name="T">The entry's own type.</typeparam>
public interface IEntry<T> : IEntry
    where T : class, IEntry<T>
{
    /// <summary>The table it stands in.</summary>
    static abstract Table<T> Table { get; }
}

/// <summary>All things of one kind, in their order: maps, formats, stations, targets. Whatever lists, reads or writes them goes by it.</summary>
/// <param name="what">What an entry is, for messages.</param>
/// <param name="entries">The entries.</param>
public sealed class Table<T>(string what, params IReadOnlyList<T> entries) : IComparer<T>
    where T : class, IEntry<T>
{
    /// <summary>All entries.</summary>
    public IReadOnlyList<T> All { get; private set; } = entries;

    /// <summary>The entry of this word, whether its letters are small or capital, or null.</summary>
    public T? Find(string? word) => All.FirstOrDefault(e => string.Equals(e.Word, word, StringComparison.OrdinalIgnoreCase))
        ?? All.FirstOrDefault(e => word is not null && string.Equals(e.FormerWord, word, StringComparison.OrdinalIgnoreCase));

    /// <summary>Place of an entry in the order.</summary>
    public int IndexOf(T entry)
    {
        for (int i = 0; i < All.Count; i++)
        {
            if (ReferenceEquals(All[i], entry))
                return i;
        }
        return -1;
    }

    /// <summary>Compares places in the order.</summary>
    public int Compare(T? x, T? y) => (x is null ? -1 : IndexOf(x)) - (y is null ? -1 : IndexOf(y));

    /// <summary>Each of some entries once, in the table's order.</summary>
    public T[] Sorted(IEnumerable<T> some) => [.. some.Distinct().Order(this)];

    /// <summary>The entry of exactly this word.</summary>
    /// <exception cref="JsonException">There is none; the message says which there are.</exception>
    public T Of(string? word) => All.FirstOrDefault(e => e.Word == word) ?? All.FirstOrDefault(e => word is not null && e.FormerWord == word)
        ?? throw new JsonException($"'{FieldRules.Quoted(word ?? "")}' is no {what}; there are {string.Join(", ", All.Select(e => e.Word))}.");

    /// <summary>Adds an entry until what is returned is disposed; for tests that show what a new one reaches.</summary>
    /// <param name="entry">The entry.</param>
    /// <param name="before">The entry it comes before; null for the end.</param>
    public IDisposable With(T entry, T? before = null)
    {
        var was = All;
        int at = before is null ? was.Count : IndexOf(before);
        All = [.. was.Take(at), entry, .. was.Skip(at)];
        return new Undo(() => All = was);
    }

    private sealed class Undo(Action undo) : IDisposable
    {
        public void Dispose() => undo();
    }
}

/// <summary>Reads and writes entries by their words, as values and as names of fields.</summary>
public sealed class EntryJson<T> : JsonConverter<T>
    where T : class, IEntry<T>
{
    /// <inheritdoc/>
    public override T Read(ref Utf8JsonReader reader, Type typeToConvert, JsonSerializerOptions options) =>
        T.Table.Of(reader.TokenType == JsonTokenType.String ? reader.GetString() : throw new JsonException("A word was expected."));

    /// <inheritdoc/>
    public override void Write(Utf8JsonWriter writer, T value, JsonSerializerOptions options) => writer.WriteStringValue(value.Word);

    /// <inheritdoc/>
    public override T ReadAsPropertyName(ref Utf8JsonReader reader, Type typeToConvert, JsonSerializerOptions options) => T.Table.Of(reader.GetString());

    /// <inheritdoc/>
    public override void WriteAsPropertyName(Utf8JsonWriter writer, T value, JsonSerializerOptions options) => writer.WritePropertyName(value.Word);
}

/// <summary>Reads entries from forms and addresses.</summary>
public sealed class EntryText<T> : TypeConverter
    where T : class, IEntry<T>
{
    /// <inheritdoc/>
    public override bool CanConvertFrom(ITypeDescriptorContext? context, Type sourceType) => sourceType == typeof(string);

    /// <inheritdoc/>
    public override object? ConvertFrom(ITypeDescriptorContext? context, CultureInfo? culture, object value) =>
        T.Table.Find(value as string) ?? throw new FormatException(
            $"'{FieldRules.Quoted(value as string ?? "")}' is none of {string.Join(", ", T.Table.All.Select(e => e.Word))}.");
}

/// <summary>Tables of types that are known only when the program runs.</summary>
public static class Tables
{
    /// <summary>The words of a type's table, in their order; null where it has none.</summary>
    public static IReadOnlyList<string>? WordsOf(Type type) => !typeof(IEntry).IsAssignableFrom(type) ? null
        : (IReadOnlyList<string>)typeof(Tables)
            .GetMethod(nameof(Words), System.Reflection.BindingFlags.NonPublic | System.Reflection.BindingFlags.Static)!.MakeGenericMethod(type)
            .Invoke(null, null)!;

    private static IReadOnlyList<string> Words<T>()
        where T : class, IEntry<T> => [.. T.Table.All.Select(e => e.Word)];
}
