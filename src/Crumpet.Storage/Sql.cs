using Microsoft.Data.Sqlite;

namespace Crumpet.Storage;

/// <summary>Plain statements, for upgrades that come before the model fits.</summary>
internal static class Sql
{
    /// <summary>Runs a statement.</summary>
    public static void Execute(this SqliteConnection connection, string sql, params IEnumerable<(string Name, object Value)> values)
    {
        using var command = connection.CreateCommand();
        command.CommandText = sql;
        foreach (var (name, value) in values)
            command.Parameters.AddWithValue(name, value);
        command.ExecuteNonQuery();
    }

    /// <summary>Rows of a query.</summary>
    public static List<T> Read<T>(this SqliteConnection connection, string sql, Func<SqliteDataReader, T> row)
    {
        using var command = connection.CreateCommand();
        command.CommandText = sql;
        using var reader = command.ExecuteReader();
        var rows = new List<T>();
        while (reader.Read())
            rows.Add(row(reader));
        return rows;
    }
}
