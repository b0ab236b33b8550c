using System.Text.Json;
using System.Text.Json.Serialization;

namespace EasyCaravan.Contract;

/// <summary>
/// The types of the API as the client reads and writes them, worked out when it is built: looking into them at run time takes longer than a
/// whole command may, and cannot be done where the client is compiled ahead of time.
/// </summary>
[JsonSourceGenerationOptions(JsonSerializerDefaults.Web, NumberHandling = JsonNumberHandling.Strict)]
[JsonSerializable(typeof(BatchSurvey))]
[JsonSerializable(typeof(BatchView))]
[JsonSerializable(typeof(BatchWaybill))]
[JsonSerializable(typeof(DecisionRequest))]
[JsonSerializable(typeof(DecisionResult))]
[JsonSerializable(typeof(ComparisonRequest))]
[JsonSerializable(typeof(TakeBackRequest))]
[JsonSerializable(typeof(TakeBackView))]
[JsonSerializable(typeof(ConsentBegun))]
[JsonSerializable(typeof(ConsentRequest))]
[JsonSerializable(typeof(ConsentState))]
[JsonSerializable(typeof(DifferencesDecided))]
[JsonSerializable(typeof(DifferencesDecision))]
[JsonSerializable(typeof(EstimateView))]
[JsonSerializable(typeof(DrainRequest))]
[JsonSerializable(typeof(DrainView))]
[JsonSerializable(typeof(FolderPreview))]
[JsonSerializable(typeof(ForecastView))]
[JsonSerializable(typeof(List<HistoryPoint>))]
[JsonSerializable(typeof(PriorityRequest))]
[JsonSerializable(typeof(TimetableView))]
[JsonSerializable(typeof(SecretsRequest))]
[JsonSerializable(typeof(SecretsSet))]
[JsonSerializable(typeof(Today))]
[JsonSerializable(typeof(TodayLooked))]
[JsonSerializable(typeof(WideActionRequest))]
[JsonSerializable(typeof(WideActionResult))]
[JsonSerializable(typeof(FolderRulesRequest))]
[JsonSerializable(typeof(FoundSettings))]
[JsonSerializable(typeof(ItemFormsView))]
[JsonSerializable(typeof(LeftBehindDecided))]
[JsonSerializable(typeof(LeftBehindDecision))]
[JsonSerializable(typeof(List<FindingGroup>))]
[JsonSerializable(typeof(List<MoveView>))]
[JsonSerializable(typeof(List<PlanProblem>))]
[JsonSerializable(typeof(List<SavingView>))]
[JsonSerializable(typeof(List<ServiceView>))]
[JsonSerializable(typeof(MoveActionRequest))]
[JsonSerializable(typeof(MoveActionResult))]
[JsonSerializable(typeof(Page<AccountInventory>))]
[JsonSerializable(typeof(Page<ComparisonView>))]
[JsonSerializable(typeof(Page<TakeBackKept>))]
[JsonSerializable(typeof(Page<CollectionLandingView>))]
[JsonSerializable(typeof(Page<ItemFileView>))]
[JsonSerializable(typeof(Page<ItemForecastView>))]
[JsonSerializable(typeof(ItemFileView))]
[JsonSerializable(typeof(FileReading))]
[JsonSerializable(typeof(ColumnChoice))]
[JsonSerializable(typeof(Page<DifferenceView>))]
[JsonSerializable(typeof(Page<FindingRow>))]
[JsonSerializable(typeof(Page<LeftBehindView>))]
[JsonSerializable(typeof(Page<JournalEntry>))]
[JsonSerializable(typeof(Page<MoveView>))]
[JsonSerializable(typeof(PlanApplied))]
[JsonSerializable(typeof(PlanCheck))]
[JsonSerializable(typeof(PlanSubmission))]
[JsonSerializable(typeof(PlanView))]
[JsonSerializable(typeof(ServiceTrial))]
[JsonSerializable(typeof(ServiceTryRequest))]
public sealed partial class ContractTypes : JsonSerializerContext;

/// <summary>A word of the contract is written in kebab-case: <c>needs-you</c>.</summary>
internal sealed class KebabWord<T>() : JsonStringEnumConverter<T>(JsonNamingPolicy.KebabCaseLower, allowIntegerValues: false)
    where T : struct, Enum;
