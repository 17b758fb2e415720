using SwiftLedger.Core.Sql;

namespace SwiftLedger.Core.Plans.Pins;

/// <summary>Why a statement that is held to a plan should be looked at again.</summary>
public enum PinWarningKind
{
    /// <summary>An index that it names is gone: it fails.</summary>
    IndexGone,

    /// <summary>An index that it names holds other columns.</summary>
    IndexOfOtherColumns,

    /// <summary>The statistics of a table changed: it may not be needed any more.</summary>
    StatisticsMoved,
}

/// <summary>What of the schema or the statistics that a pin rests on has changed.</summary>
/// <param name="Name">The index or the table.</param>
/// <param name="Kind">What has changed.</param>
public sealed record PinWarning(PinWarningKind Kind, string Name)
{
    public string Sentence => Kind switch
    {
        PinWarningKind.IndexGone => $"{Name} is not there: the statement fails where it runs as pinned.",
        PinWarningKind.IndexOfOtherColumns => $"{Name} holds other columns than it did.",
        _ => $"The statistics of {Name} changed since: try whether it is still needed.",
    };

    /// <param name="sql">The pinned statement.</param>
    /// <param name="pins">How statements of its engine are held.</param>
    /// <param name="now">The latest catalogue; null where nothing read it.</param>
    /// <param name="then">The catalogue of its trial; null where nothing read it.</param>
    /// <param name="dialect">Of the statement.</param>
    /// <returns>Null where nothing has changed, or nobody can tell.</returns>
    public static PinWarning? Of(string sql, IPlanPins pins, SqlDialect dialect, Catalog? now, Catalog? then)
    {
        if (now is null || then is null)
        {
            return null;
        }

        foreach (string name in pins.IndexesNamed(sql))
        {
            if (now.Index(name) is not var (_, index))
            {
                return new(PinWarningKind.IndexGone, name);
            }

            if (then.Index(name) is var (_, was) && !was.Columns.SequenceEqual(index.Columns))
            {
                return new(PinWarningKind.IndexOfOtherColumns, name);
            }
        }

        return StatementTables.Of(sql, dialect).Names.Select(now.Table).OfType<CatalogTable>().FirstOrDefault(t => then.Table(t.Name)?.AnalyzedRows != t.AnalyzedRows) is { } moved
            ? new(PinWarningKind.StatisticsMoved, moved.Name)
            : null;
    }
}
