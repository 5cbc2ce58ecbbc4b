using Crumpet.Core;
using Crumpet.Core.Building;
using Crumpet.Core.Intake;
using Microsoft.EntityFrameworkCore;
using Microsoft.EntityFrameworkCore.Storage.ValueConversion;

namespace Crumpet.Storage;

/// <summary>A station as its word, which begins with a capital letter in the database.</summary>
internal sealed class StationWord() : ValueConverter<Station, string>(s => char.ToUpperInvariant(s.Word[0]) + s.Word.Substring(1), w => Station.Table.Find(w)!);

/// <summary>What the artist decided and what was found. Times are UTC.</summary>
public sealed class CrumpetDb(DbContextOptions<CrumpetDb> options) : DbContext(options)
{
    public DbSet<Kit> Kits => Set<Kit>();
    public DbSet<Asset> Assets => Set<Asset>();
    public DbSet<Decision> Decisions => Set<Decision>();
    public DbSet<AssetSource> Sources => Set<AssetSource>();
    public DbSet<StationMark> Marks => Set<StationMark>();
    public DbSet<FindingRow> Findings => Set<FindingRow>();
    public DbSet<Run> Runs => Set<Run>();
    public DbSet<RunLogEntry> RunLog => Set<RunLogEntry>();
    public DbSet<Delivery> Deliveries => Set<Delivery>();

    /// <inheritdoc/>
    protected override void OnModelCreating(ModelBuilder modelBuilder)
    {
        modelBuilder.Entity<Kit>().HasMany(k => k.Assets).WithOne(a => a.Kit).HasForeignKey(a => a.KitId);
        modelBuilder.Entity<Asset>().HasMany(a => a.Sources).WithOne().HasForeignKey(s => s.AssetId);
        modelBuilder.Entity<Asset>().HasMany(a => a.Marks).WithOne().HasForeignKey(s => s.AssetId);
        modelBuilder.Entity<Asset>().HasMany(a => a.Findings).WithOne().HasForeignKey(s => s.AssetId);
        modelBuilder.Entity<Asset>().HasMany(a => a.Deliveries).WithOne().HasForeignKey(s => s.AssetId);
        modelBuilder.Entity<Asset>().HasMany(a => a.Decisions).WithOne().HasForeignKey(d => d.AssetId);
        modelBuilder.Entity<Decision>().HasIndex(d => new { d.AssetId, d.Number }).IsUnique();
        modelBuilder.Entity<StationMark>().HasKey(m => new { m.AssetId, m.Station });
        modelBuilder.Entity<AssetSource>().HasIndex(s => new { s.AssetId, s.Name, s.Version }).IsUnique();
        modelBuilder.Entity<Delivery>().HasIndex(d => new { d.AssetId, d.Number }).IsUnique();
        modelBuilder.Entity<Run>().HasOne(r => r.Asset).WithMany().HasForeignKey(r => r.AssetId);
        modelBuilder.Entity<Run>().HasMany(r => r.Log).WithOne().HasForeignKey(l => l.RunId);
        modelBuilder.Entity<Run>().HasIndex(r => r.State);
        modelBuilder.Entity<Asset>().Property(a => a.Version).IsConcurrencyToken();
        modelBuilder.Entity<Kit>().Property(k => k.Version).IsConcurrencyToken();
    }

    /// <summary>By word: a number means something else as soon as a value is put before it.</summary>
    protected override void ConfigureConventions(ModelConfigurationBuilder configurationBuilder)
    {
        configurationBuilder.Properties<Station>().HaveConversion<StationWord>();
        configurationBuilder.Properties<RunState>().HaveConversion<string>();
        configurationBuilder.Properties<Severity>().HaveConversion<string>();
        configurationBuilder.Properties<Side>().HaveConversion<string>();
    }
}
