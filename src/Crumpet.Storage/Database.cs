using Microsoft.Data.Sqlite;
using Microsoft.EntityFrameworkCore;
using Microsoft.EntityFrameworkCore.Design;
using Microsoft.EntityFrameworkCore.Infrastructure;
using Microsoft.EntityFrameworkCore.Migrations;

namespace Crumpet.Storage;

/// <summary>Opens the database of a data folder.</summary>
public static class Database
{
    /// <summary>Name of the file in the data folder.</summary>
    public const string FileName = "crumpet.db";

    /// <summary>Options for the database in a folder.</summary>
    public static DbContextOptions<CrumpetDb> Options(string folder)
    {
        var builder = new DbContextOptionsBuilder<CrumpetDb>();
        Configure(builder, folder);
        return builder.Options;
    }

    /// <summary>Sets a builder up for the database in a folder.</summary>
    public static void Configure(DbContextOptionsBuilder builder, string folder)
    {
        var connection = new SqliteConnectionStringBuilder { DataSource = Path.Combine(folder, FileName), DefaultTimeout = 30, ForeignKeys = true };
        builder.UseSqlite(connection.ToString());
    }

    /// <summary>Brings the database up to this program's model, after a copy where there is something to lose.</summary>
    /// <param name="folder">Data folder; made as needed.</param>
    /// <returns>Whether the database is new.</returns>
    public static bool Prepare(string folder)
    {
        string path = Path.Combine(folder, FileName);
        PrivateFiles.Own(folder, path);
        bool isNew = !File.Exists(path);
        foreach (string file in isNew ? [path] : Directory.GetFiles(folder, FileName + "*"))
            PrivateFiles.MakeFile(file);
        using var db = new CrumpetDb(Options(folder));
        if (!isNew && db.Database.GetPendingMigrations().FirstOrDefault() is { } next)
        {
            PrivateFiles.MakeFile($"{path}.before-{next}");
            using var source = new SqliteConnection(db.Database.GetConnectionString());
            using var copy = new SqliteConnection($"Data Source={path}.before-{next}");
            source.Open();
            copy.Open();
            source.BackupDatabase(copy);
        }
        if (!isNew)
            Upgrade(db, [.. db.Database.GetPendingMigrations()]);
        db.Database.Migrate();
        db.Database.ExecuteSqlRaw("PRAGMA journal_mode=WAL;");
        return isNew;
    }

    /// <summary>What migrations cannot say in SQL.</summary>
    private static void Upgrade(CrumpetDb db, string[] pending)
    {
        if (!TargetUpgrade.Before.Any(pending.Contains))
            return;
        using var connection = new SqliteConnection(db.Database.GetConnectionString());
        connection.Open();
        if (DecisionUpgrade.IsNeeded(pending))
            DecisionUpgrade.Prepare(connection);
        connection.Close();
        if (pending.Contains(TargetUpgrade.After))
            db.GetService<IMigrator>().Migrate(TargetUpgrade.After);
        connection.Open();
        TargetUpgrade.Run(connection);
    }
}

/// <summary>Lets the migrations tool make a context.</summary>
internal sealed class DesignTimeFactory : IDesignTimeDbContextFactory<CrumpetDb>
{
    public CrumpetDb CreateDbContext(string[] args) => new(Database.Options(Path.GetTempPath()));
}
