using Microsoft.EntityFrameworkCore;
using Microsoft.EntityFrameworkCore.Metadata.Builders;

namespace EasyCaravan.Store.Rows;

/// <summary>What the last survey of a move found. Sums stand beside the whole, so that lists and totals need not open it.</summary>
public sealed class SurveyRow
{
    public long MoveId { get; set; }
    public long TakenAt { get; set; }
    public long Messages { get; set; }
    public long Octets { get; set; }
    public int Folders { get; set; }
    public long ToMessages { get; set; }

    /// <summary>The sign-in to both accounts succeeded.</summary>
    public bool Whole { get; set; }
    public required string InventoryJson { get; set; }

    /// <summary>What would become of single contacts and events, by kind, as compressed JSON; null: nothing is known of any.</summary>
    public byte[]? ForecastsPacked { get; set; }
}

internal sealed class SurveysTable : IEntityTypeConfiguration<SurveyRow>
{
    public void Configure(EntityTypeBuilder<SurveyRow> survey)
    {
        survey.ToTable("surveys");
        survey.HasKey(s => s.MoveId);
        survey.HasOne<MoveRow>().WithOne().HasForeignKey<SurveyRow>(s => s.MoveId);
    }
}
