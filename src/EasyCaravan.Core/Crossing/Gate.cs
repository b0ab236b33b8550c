namespace EasyCaravan.Core.Crossing;

/// <summary>What is looked at before somebody crosses, in the order in which it is shown. Kept by number: new ones come last.</summary>
public enum GateKind
{
    InStep,
    LeftBehind,
    SignIn,
    Room,
    Forwarding,
    OwnRules,
    Probe,
    Informed,
}

/// <summary>Whether somebody may cross as far as one gate is concerned. Kept by number.</summary>
public enum GateColour
{
    Green,

    /// <summary>They may, once a person has said that it is well.</summary>
    Amber,

    /// <summary>They may not: it has to be mended first.</summary>
    Red,
}

/// <summary>One thing that has to be well before somebody crosses.</summary>
/// <param name="Facts">What is so, as a sentence without a full stop.</param>
/// <param name="Remedy">What to do about it, without a full stop; null where nothing is to be done.</param>
public sealed record Gate(GateKind Kind, GateColour Colour, string Facts, string? Remedy = null)
{
    public static Gate Green(GateKind kind, string facts) => new(kind, GateColour.Green, facts);

    public static Gate Amber(GateKind kind, string facts, string remedy) => new(kind, GateColour.Amber, facts, remedy);

    public static Gate Red(GateKind kind, string facts, string remedy) => new(kind, GateColour.Red, facts, remedy);
}
