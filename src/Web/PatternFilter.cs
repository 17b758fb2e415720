using SwiftLedger.Store.Captures;

namespace SwiftLedger.Web;

/// <summary>Which patterns are asked for; what is null or empty does not narrow.</summary>
/// <param name="Text">Anything in the pattern's text, in any case.</param>
/// <param name="Tag"><c>key=value</c>.</param>
internal sealed record PatternFilter(string? Text, string? Kind, string? Table, string? Tag)
{
    public bool IsEmpty => string.IsNullOrEmpty(Text) && string.IsNullOrEmpty(Kind) && string.IsNullOrEmpty(Table) && string.IsNullOrEmpty(Tag);

    public IReadOnlyList<PatternRecord> Of(IReadOnlyList<PatternRecord> patterns, SampleStore samples, long book)
    {
        IEnumerable<PatternRecord> fitting = patterns;
        if (!string.IsNullOrEmpty(Text))
        {
            fitting = fitting.Where(p => p.Text.Contains(Text, StringComparison.OrdinalIgnoreCase));
        }

        if (!string.IsNullOrEmpty(Kind))
        {
            fitting = fitting.Where(p => p.Kind == Kind);
        }

        if (!string.IsNullOrEmpty(Table))
        {
            fitting = fitting.Where(p => p.Tables.Contains(Table));
        }

        if (Tag?.IndexOf('=', StringComparison.Ordinal) is int at and > 0)
        {
            IReadOnlySet<long> tagged = samples.PatternsTagged(book, Tag[..at], Tag[(at + 1)..]);
            fitting = fitting.Where(p => tagged.Contains(p.Id));
        }

        return fitting.ToList();
    }
}
