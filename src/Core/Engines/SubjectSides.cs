namespace SwiftLedger.Core.Engines;

/// <summary>How the two sides of a trial come about.</summary>
public enum SubjectSides
{
    /// <summary>Two private copies.</summary>
    Copies,

    /// <summary>Two private copies of a dump: while others use the subject.</summary>
    Dumped,

    /// <summary>The subject itself on both sides, only read: for rewrites and session settings, which change nothing in it.</summary>
    AsItIs,

    /// <summary>The subject itself, the change applied in a transaction that is rolled back: plans and work, no timing.</summary>
    RolledBack,

    /// <summary>Two databases that are there already: the old deployment and the new one.</summary>
    Pair,

    /// <summary>The subject itself, which is expendable: measured, changed for good, and measured again. The sides are not interleaved.</summary>
    InPlace,
}
