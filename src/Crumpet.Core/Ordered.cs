namespace Crumpet.Core;

/// <summary>Dictionaries that are written in the same order however they came about.</summary>
internal static class Ordered
{
    /// <summary>The same with one value put in place of another, or taken out.</summary>
    public static SortedDictionary<TKey, TValue> Changed<TKey, TValue>(IReadOnlyDictionary<TKey, TValue> all, TKey key, TValue value, bool isGone,
        IComparer<TKey> order)
        where TKey : notnull
    {
        var changed = new SortedDictionary<TKey, TValue>(all.ToDictionary(), order);
        if (isGone)
            changed.Remove(key);
        else
            changed[key] = value;
        return changed;
    }
}
