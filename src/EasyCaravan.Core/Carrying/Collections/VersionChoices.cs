using System.Collections.Immutable;
using EasyCaravan.Core.Pacing;
using EasyCaravan.Core.Ports;

namespace EasyCaravan.Core.Carrying.Collections;

/// <summary>What somebody may choose for an item that was left behind because there are two versions of it.</summary>
public static class VersionChoices
{
    /// <param name="isForeign">
    /// What is on the new side was there before us. It is never overwritten: nobody knows what else its owner keeps in it.
    /// </param>
    public static ImmutableArray<VersionChoice> Of(Cause cause, bool isForeign) =>
        cause switch
        {
            Cause.EditedOnBothSides when isForeign => [VersionChoice.New, VersionChoice.Both],
            Cause.EditedOnBothSides => [VersionChoice.Old, VersionChoice.New, VersionChoice.Both],
            Cause.UidTaken => [VersionChoice.Both],
            _ => [],
        };
}
