using EasyCaravan.Store.Rows;
using Microsoft.EntityFrameworkCore;

namespace EasyCaravan.Store;

/// <summary>
/// The tables, each with its layout in a file of its own. Written so that another provider needs migrations and a Schema.sql of its own
/// and nothing else.
/// </summary>
public sealed class CaravanDb(DbContextOptions<CaravanDb> options) : DbContext(options)
{
    public DbSet<PlanRow> Plans => Set<PlanRow>();
    public DbSet<MoveRow> Moves => Set<MoveRow>();
    public DbSet<LegRow> Legs => Set<LegRow>();
    public DbSet<PassRow> Passes => Set<PassRow>();
    public DbSet<PassLegRow> PassLegs => Set<PassLegRow>();
    public DbSet<LedgerFolderRow> LedgerFolders => Set<LedgerFolderRow>();
    public DbSet<LedgerItemRow> LedgerItems => Set<LedgerItemRow>();
    public DbSet<ItemKeyRow> ItemKeys => Set<ItemKeyRow>();
    public DbSet<UnclaimedMessageRow> UnclaimedMessages => Set<UnclaimedMessageRow>();
    public DbSet<ArrivalRow> Arrivals => Set<ArrivalRow>();
    public DbSet<ArrivalLookRow> ArrivalLooks => Set<ArrivalLookRow>();
    public DbSet<LateMailRow> LateMail => Set<LateMailRow>();
    public DbSet<CorrespondenceRow> Correspondences => Set<CorrespondenceRow>();
    public DbSet<CorrespondentRow> Correspondents => Set<CorrespondentRow>();
    public DbSet<FlagSetRow> FlagSets => Set<FlagSetRow>();
    public DbSet<LeftBehindRow> LeftBehind => Set<LeftBehindRow>();
    public DbSet<DifferenceRow> Differences => Set<DifferenceRow>();
    public DbSet<ComparisonRow> Comparisons => Set<ComparisonRow>();
    public DbSet<CollectionPageRow> CollectionPages => Set<CollectionPageRow>();
    public DbSet<CollectionItemRow> CollectionItems => Set<CollectionItemRow>();
    public DbSet<ItemFormsRow> ItemForms => Set<ItemFormsRow>();
    public DbSet<ServiceSpeedRow> ServiceSpeeds => Set<ServiceSpeedRow>();
    public DbSet<CollectionHomeRow> CollectionHomes => Set<CollectionHomeRow>();
    public DbSet<ItemFileRow> ItemFiles => Set<ItemFileRow>();
    public DbSet<ParcelTermRow> ParcelTerms => Set<ParcelTermRow>();
    public DbSet<SurveyRow> Surveys => Set<SurveyRow>();
    public DbSet<DecisionRow> Decisions => Set<DecisionRow>();
    public DbSet<ItemNameRow> ItemNames => Set<ItemNameRow>();
    public DbSet<ConsentRow> Consents => Set<ConsentRow>();
    public DbSet<BatchHourRow> BatchHours => Set<BatchHourRow>();
    public DbSet<BatchStartRow> BatchStarts => Set<BatchStartRow>();
    public DbSet<LookRow> Looks => Set<LookRow>();
    public DbSet<DrainRow> Drains => Set<DrainRow>();
    public DbSet<ErrandRow> Errands => Set<ErrandRow>();
    public DbSet<MadePlaceRow> MadePlaces => Set<MadePlaceRow>();
    public DbSet<ItemOriginalRow> ItemOriginals => Set<ItemOriginalRow>();
    public DbSet<TakeBackRow> TakeBacks => Set<TakeBackRow>();
    public DbSet<TakeBackFolderRow> TakeBackFolders => Set<TakeBackFolderRow>();
    public DbSet<TakeBackItemRow> TakeBackItems => Set<TakeBackItemRow>();
    public DbSet<CrossingRow> Crossings => Set<CrossingRow>();
    public DbSet<BatchCrossingRow> BatchCrossings => Set<BatchCrossingRow>();
    public DbSet<CrossingGateRow> CrossingGates => Set<CrossingGateRow>();
    public DbSet<CrossingActRow> CrossingActs => Set<CrossingActRow>();
    public DbSet<ForwardingRow> Forwardings => Set<ForwardingRow>();
    public DbSet<ProbeRow> Probes => Set<ProbeRow>();
    public DbSet<NoticeRow> Notices => Set<NoticeRow>();
    public DbSet<NoticeSwitchRow> NoticeSwitches => Set<NoticeSwitchRow>();
    public DbSet<NoticeMarkRow> NoticeMarks => Set<NoticeMarkRow>();
    public DbSet<JournalRow> Journal => Set<JournalRow>();
    public DbSet<TokenRow> Tokens => Set<TokenRow>();
    public DbSet<SessionRow> Sessions => Set<SessionRow>();

    protected override void OnModelCreating(ModelBuilder modelBuilder) =>
        modelBuilder.ApplyConfigurationsFromAssembly(typeof(CaravanDb).Assembly);
}
