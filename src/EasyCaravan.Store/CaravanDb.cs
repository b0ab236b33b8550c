using EasyCaravan.Store.Rows;
using Microsoft.EntityFrameworkCore;

namespace EasyCaravan.Store;

/// <summary>The tables. Written so that another provider needs migrations of its own and nothing else.</summary>
public sealed class CaravanDb(DbContextOptions<CaravanDb> options) : DbContext(options)
{
    public DbSet<PlanRow> Plans => Set<PlanRow>();
    public DbSet<MoveRow> Moves => Set<MoveRow>();
    public DbSet<PassRow> Passes => Set<PassRow>();
    public DbSet<LedgerFolderRow> LedgerFolders => Set<LedgerFolderRow>();
    public DbSet<LedgerItemRow> LedgerItems => Set<LedgerItemRow>();
    public DbSet<ItemKeyRow> ItemKeys => Set<ItemKeyRow>();
    public DbSet<StrangerRow> Strangers => Set<StrangerRow>();
    public DbSet<FlagSetRow> FlagSets => Set<FlagSetRow>();
    public DbSet<LeftBehindRow> LeftBehind => Set<LeftBehindRow>();
    public DbSet<DifferenceRow> Differences => Set<DifferenceRow>();
    public DbSet<ComparisonRow> Comparisons => Set<ComparisonRow>();
    public DbSet<SurveyRow> Surveys => Set<SurveyRow>();
    public DbSet<ChoiceRow> Choices => Set<ChoiceRow>();
    public DbSet<ItemNameRow> ItemNames => Set<ItemNameRow>();
    public DbSet<ConsentRow> Consents => Set<ConsentRow>();
    public DbSet<JournalRow> Journal => Set<JournalRow>();
    public DbSet<TokenRow> Tokens => Set<TokenRow>();

    protected override void OnModelCreating(ModelBuilder modelBuilder)
    {
        modelBuilder.Entity<PlanRow>().ToTable("plans");
        modelBuilder.Entity<MoveRow>(move =>
        {
            move.ToTable("moves");
            move.HasIndex(m => new { m.Batch, m.FromAccount }).IsUnique();
            move.HasIndex(m => m.DueAt);
            // In the order in which moves are claimed.
            move.HasIndex(m => new { m.Rank, m.DueAt, m.Id });
            // Only what somebody holds: asked for leases that have ended, not for moves that have none.
            move.HasIndex(m => m.LeaseUntil).HasFilter("\"LeaseUntil\" IS NOT NULL");
        });
        modelBuilder.Entity<PassRow>(pass =>
        {
            pass.ToTable("passes");
            pass.HasOne<MoveRow>().WithMany().HasForeignKey(p => p.MoveId);
        });
        modelBuilder.Entity<LedgerFolderRow>(folder =>
        {
            folder.ToTable("ledger_folders");
            folder.HasIndex(f => new { f.MoveId, f.From, f.To }).IsUnique();
            folder.HasOne<MoveRow>().WithMany().HasForeignKey(f => f.MoveId);
        });
        modelBuilder.Entity<LedgerItemRow>(item =>
        {
            // Columns are named here because the ledger writes them in SQL of its own, many rows to a statement.
            item.ToTable("ledger_items");
            item.HasKey(i => new { i.FolderId, i.Number });
            item.Property(i => i.FolderId).HasColumnName("folder_id");
            item.Property(i => i.Number).HasColumnName("number");
            item.Property(i => i.Landed).HasColumnName("landed");
            item.Property(i => i.Outcome).HasColumnName("outcome");
            item.Property(i => i.Gone).HasColumnName("gone");
            item.Property(i => i.Flags).HasColumnName("flags");
            item.Property(i => i.Size).HasColumnName("size");
            item.HasOne<LedgerFolderRow>().WithMany().HasForeignKey(i => i.FolderId);
        });
        modelBuilder.Entity<ItemKeyRow>(key =>
        {
            key.ToTable("item_keys");
            key.HasKey(k => new { k.FolderId, k.Number });
            key.HasIndex(k => new { k.MoveId, k.Low });
            key.Property(k => k.FolderId).HasColumnName("folder_id");
            key.Property(k => k.Number).HasColumnName("number");
            key.Property(k => k.MoveId).HasColumnName("move_id");
            key.Property(k => k.Low).HasColumnName("low");
            key.Property(k => k.High).HasColumnName("high");
            key.HasOne<LedgerFolderRow>().WithMany().HasForeignKey(k => k.FolderId);
        });
        modelBuilder.Entity<StrangerRow>(stranger =>
        {
            stranger.ToTable("strangers");
            stranger.HasKey(s => new { s.FolderId, s.Number });
            stranger.Property(s => s.FolderId).HasColumnName("folder_id");
            stranger.Property(s => s.Number).HasColumnName("number");
            stranger.Property(s => s.Size).HasColumnName("size");
            stranger.Property(s => s.Low).HasColumnName("low");
            stranger.Property(s => s.High).HasColumnName("high");
            stranger.Property(s => s.Certain).HasColumnName("certain");
            stranger.HasOne<LedgerFolderRow>().WithMany().HasForeignKey(s => s.FolderId);
        });
        modelBuilder.Entity<FlagSetRow>(set =>
        {
            set.ToTable("flag_sets");
            set.HasIndex(s => s.Written).IsUnique();
        });
        modelBuilder.Entity<LeftBehindRow>(item =>
        {
            item.ToTable("left_behind");
            item.HasIndex(i => new { i.FolderId, i.Number }).IsUnique();
            item.HasOne<LedgerFolderRow>().WithMany().HasForeignKey(i => i.FolderId);
        });
        modelBuilder.Entity<DifferenceRow>(difference =>
        {
            difference.ToTable("differences");
            difference.HasIndex(d => new { d.FolderId, d.Kind, d.Number, d.Landed }).IsUnique();
            difference.HasOne<LedgerFolderRow>().WithMany().HasForeignKey(d => d.FolderId);
        });
        modelBuilder.Entity<ComparisonRow>(comparison =>
        {
            comparison.ToTable("comparisons");
            comparison.HasKey(c => c.MoveId);
            comparison.HasOne<MoveRow>().WithOne().HasForeignKey<ComparisonRow>(c => c.MoveId);
        });
        modelBuilder.Entity<SurveyRow>(survey =>
        {
            survey.ToTable("surveys");
            survey.HasKey(s => s.MoveId);
            survey.HasOne<MoveRow>().WithOne().HasForeignKey<SurveyRow>(s => s.MoveId);
        });
        modelBuilder.Entity<ChoiceRow>(choice =>
        {
            choice.ToTable("choices");
            choice.HasIndex(c => new { c.Scope, c.Place, c.Code }).IsUnique();
        });
        modelBuilder.Entity<ItemNameRow>(name =>
        {
            name.ToTable("item_names");
            name.HasIndex(n => new { n.Service, n.Account, n.Name }).IsUnique();
        });
        modelBuilder.Entity<ConsentRow>(consent =>
        {
            consent.ToTable("consents");
            consent.HasIndex(c => new { c.Service, c.Account, c.Origin }).IsUnique();
        });
        modelBuilder.Entity<JournalRow>(entry =>
        {
            entry.ToTable("journal");
            entry.HasIndex(e => new { e.Batch, e.Id });
            entry.HasIndex(e => new { e.MoveId, e.Id });
        });
        modelBuilder.Entity<TokenRow>(token =>
        {
            token.ToTable("tokens");
            token.HasIndex(t => t.Hash).IsUnique();
        });
    }
}
