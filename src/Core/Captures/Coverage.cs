namespace SwiftLedger.Core.Captures;

/// <summary>A run of cells of one stretch: from a minute on, up to and not including another.</summary>
public readonly record struct Run(Stretch Stretch, int From, int To);

/// <summary>Covers a span with the fewest cells: whole days in the middle, hours beside them, minutes at the ends.</summary>
public static class Coverage
{
    /// <param name="from">First minute.</param>
    /// <param name="to">The minute behind the last.</param>
    /// <param name="minutesFrom">Since when single minutes are kept; before that the ends go by whole hours.</param>
    public static IReadOnlyList<Run> Of(int from, int to, int minutesFrom)
    {
        var runs = new List<Run>();
        Add(runs, Stretch.Day, from, to, minutesFrom);
        return runs;
    }

    /// <summary>The span as it can be answered: where no cell lies in it, because single minutes are not kept, the whole hours around it.</summary>
    /// <param name="from">First minute.</param>
    /// <param name="to">The minute behind the last.</param>
    /// <param name="minutesFrom">As <see cref="Of"/> takes it.</param>
    public static (int From, int To) Answerable(int from, int to, int minutesFrom) =>
        Of(from, to, minutesFrom).Count > 0 ? (from, to) : WholeHours(from, to);

    /// <summary>The whole hours of which a span holds a part.</summary>
    /// <param name="from">First minute.</param>
    /// <param name="to">The minute behind the last.</param>
    public static (int From, int To) WholeHours(int from, int to) => (Stretch.Hour.StartOf(from), Stretch.Hour.StartOf(to + Stretch.Hour.Minutes() - 1));

    private static void Add(List<Run> runs, Stretch stretch, int from, int to, int minutesFrom)
    {
        if (from >= to)
        {
            return;
        }

        if (stretch == Stretch.Minute)
        {
            runs.Add(new(Stretch.Minute, from, to));
            return;
        }

        // An hour whose minutes are gone counts where most of it lies in the span.
        bool finer = stretch == Stretch.Day || from >= minutesFrom;
        int length = stretch.Minutes();
        int first = finer ? stretch.StartOf(from + length - 1) : stretch.StartOf(from + (length / 2));
        int last = finer ? stretch.StartOf(to) : stretch.StartOf(to + (length / 2));
        Stretch below = stretch - 1;
        if (first >= last)
        {
            if (finer)
            {
                Add(runs, below, from, to, minutesFrom);
            }

            return;
        }

        if (finer)
        {
            Add(runs, below, from, first, minutesFrom);
        }

        runs.Add(new(stretch, first, last));
        if (finer)
        {
            Add(runs, below, last, to, minutesFrom);
        }
    }
}
