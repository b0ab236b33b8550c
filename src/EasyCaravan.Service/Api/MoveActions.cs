using EasyCaravan.Contract;
using EasyCaravan.Core.Carrying;
using EasyCaravan.Core.Planning;
using NodaTime;

namespace EasyCaravan.Service.Api;

/// <summary>What people can ask of a move, and what of it would change something now.</summary>
internal static class MoveActions
{
    /// <summary>The move as it stands once it was asked; the same where there is nothing to do.</summary>
    public static MoveState After(MoveAction action, MoveState move, Timetable? timetable, Instant now) =>
        action switch
        {
            MoveAction.Survey => move.Survey(),
            MoveAction.Start => move.Start(timetable, now),
            MoveAction.CatchUp => move.CatchUp(timetable, now),
            MoveAction.Hold => move.Hold(),
            MoveAction.Resume => move.Resume(timetable, now),
            MoveAction.Retry => move.Retry(timetable, now),
            MoveAction.Withdraw => move.Withdraw(),
        };

    /// <summary>A timetable decides when something runs, not whether it may be asked for.</summary>
    public static List<MoveAction> Possible(MoveState move, Instant now) =>
        [.. Enum.GetValues<MoveAction>().Where(action => !After(action, move, timetable: null, now).Equals(move))];

    /// <summary>What the journal says of somebody who asked for it.</summary>
    public static string VerbOf(MoveAction action) =>
        action switch
        {
            MoveAction.Survey => "asked for a survey",
            MoveAction.Start => "started",
            MoveAction.CatchUp => "asked for a catch-up",
            MoveAction.Hold => "held",
            MoveAction.Resume => "resumed",
            MoveAction.Retry => "asked for another try",
            MoveAction.Withdraw => "withdrew",
        };
}
