namespace Crumpet.Web;

/// <summary>Which rows of a long list a page shows.</summary>
/// <param name="Total">How many rows there are.</param>
/// <param name="Number">The page, from 1.</param>
/// <param name="Thing">One of them; its plural ends in s.</param>
/// <param name="Query">What the address says beside the page, such as <c>show=objects</c>; may be empty.</param>
public sealed record PagedRows(int Total, int Number, string Thing, string Query)
{
    /// <summary>Rows of a page.</summary>
    public const int Size = 200;

    /// <summary>How many pages there are, at least 1.</summary>
    public int Pages => Math.Max(1, (Total + Size - 1) / Size);

    /// <summary>Rows before the first that is shown.</summary>
    public int Skipped => (Number - 1) * Size;

    /// <summary>The rows of a list that are shown.</summary>
    public IEnumerable<T> Of<T>(IReadOnlyList<T> rows) => Enumerable.Range(Skipped, Math.Clamp(rows.Count - Skipped, 0, Size)).Select(i => rows[i]);

    /// <summary>Address of another page.</summary>
    public string AddressOf(int page) => $"?{(Query.Length > 0 ? Query + "&" : "")}leaf={page}";

    /// <summary>The page that is asked for, or the one that holds a row; a page that is not there gives the nearest.</summary>
    /// <param name="total">How many rows there are.</param>
    /// <param name="asked">Number that is asked for, or null.</param>
    /// <param name="row">Row to be shown where no page is asked for; below 0 for none.</param>
    /// <param name="thing">One of them; its plural ends in s.</param>
    /// <param name="query">What the address says beside the page.</param>
    public static PagedRows At(int total, int? asked, int row, string thing, string query)
    {
        var first = new PagedRows(total, 1, thing, query);
        return first with { Number = Math.Clamp(asked ?? (row >= 0 ? row / Size + 1 : 1), 1, first.Pages) };
    }
}
