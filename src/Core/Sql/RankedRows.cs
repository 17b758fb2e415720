namespace SwiftLedger.Core.Sql;

/// <summary>
/// A query whose rows also tell which of them its ORDER BY leaves tied: the engine itself ranks them by the same terms, so that
/// collations, NULLS FIRST and the like mean what they mean to it.
/// </summary>
public sealed class RankedRows
{
    private const string Rank = "dense_rank() OVER (ORDER BY ";

    private static readonly HashSet<string> BehindList = new(StringComparer.Ordinal) { "from", "into", "where", "group", "having", "window", "order", "limit", "offset", "fetch", "for" };

    private static readonly HashSet<string> BehindOrder = new(StringComparer.Ordinal) { "limit", "offset", "fetch", "for" };

    private static readonly HashSet<string> Modifiers = new(StringComparer.Ordinal) { "asc", "desc", "nulls", "using", "collate" };

    private readonly string _sql;
    private readonly List<Token> _tokens;
    private readonly List<string> _words;

    /// <summary>Of each token, how many parentheses stand open before it.</summary>
    private readonly List<int> _depths = [];

    private RankedRows(string sql, SqlDialect dialect)
    {
        _sql = sql;
        _tokens = [.. SqlLexer.Tokenize(sql, dialect).Where(t => !t.IsTrivia)];
        while (_tokens is [.., { Kind: TokenKind.Semicolon }])
        {
            _tokens.RemoveAt(_tokens.Count - 1);
        }

        int depth = 0;
        foreach (Token token in _tokens)
        {
            depth -= token.Kind == TokenKind.CloseParen ? 1 : 0;
            _depths.Add(depth);
            depth += token.Kind == TokenKind.OpenParen ? 1 : 0;
        }

        _words = [.. _tokens.Select((t, i) => t.Kind == TokenKind.Word && _depths[i] == 0 ? t.Span.Of(sql).ToLowerInvariant() : "")];
    }

    /// <summary>The query with one more column, the last: the rank of each row by the outermost ORDER BY, equal where rows tie.</summary>
    /// <param name="sql">One statement.</param>
    /// <param name="dialect">Its rules.</param>
    /// <returns>Null where it has no outermost ORDER BY, or its terms cannot be said again.</returns>
    public static string? Of(string sql, SqlDialect dialect) => new RankedRows(sql, dialect).Ranked();

    private string? Ranked()
    {
        // Several statements have no outermost one.
        if (_tokens.Exists(t => t.Kind == TokenKind.Semicolon))
        {
            return null;
        }

        int by = Enumerable.Range(1, Math.Max(0, _words.Count - 1)).LastOrDefault(i => _words[i] == "by" && _words[i - 1] == "order", -1);
        int select = _words.IndexOf("select");
        if (by < 0 || select < 0)
        {
            return null;
        }

        int end = Next(by + 1, _words.Count, BehindOrder.Contains), list = Next(select + 1, _words.Count, BehindList.Contains);
        bool compound = _words.Any(w => w is "union" or "intersect" or "except");
        List<Item>? items = Items(select + 1, compound ? Next(select + 1, list, w => w is "union" or "intersect" or "except") : list);
        var terms = new List<string>();
        foreach ((int from, int to) in Split(by + 1, end))
        {
            if (from >= to || Term(from, to, items, compound) is not { } term)
            {
                return null;
            }

            terms.Add(term);
        }

        string whole = _sql[..(_tokens[^1].End)], ranks = $"{Rank}{string.Join(", ", terms)})";
        return compound ? $"SELECT q.*, {ranks} FROM ({whole}) AS q" : $"{whole[.._tokens[list - 1].End]}, {ranks} {whole[_tokens[list - 1].End..]}";
    }

    /// <summary>A term as it can be said anywhere in the query; null where it cannot.</summary>
    private string? Term(int from, int to, List<Item>? items, bool compound)
    {
        int rest = Next(from, to, Modifiers.Contains);
        string behind = rest < to ? " " + Text(rest, to) : "";
        if (rest - from == 1 && (_tokens[from].Kind == TokenKind.Number || Name(from) is not null))
        {
            Item? meant = items is null ? null
                : _tokens[from].Kind == TokenKind.Number ? (int.TryParse(Text(from, rest), System.Globalization.CultureInfo.InvariantCulture, out int place) && place >= 1 && place <= items.Count && items[place - 1] is { } at ? at : null)
                : items.Find(i => i.Alias is { } alias && alias.Equals(Name(from), StringComparison.OrdinalIgnoreCase));
            if (_tokens[from].Kind == TokenKind.Number && meant is null)
            {
                return null;
            }

            if (meant is not null)
            {
                string? said = compound ? meant.Output is { } output ? $"q.{output}" : null : meant.HasUnnamed ? null : $"({meant.Expression})";
                return said is null ? null : said + behind;
            }
        }

        return HasUnnamed(from, to) ? null : Text(from, to);
    }

    /// <summary>What the list selects; null where a star leaves open how much it is.</summary>
    private List<Item>? Items(int from, int to)
    {
        if (from < to && _words[from] is "distinct" or "all")
        {
            from += _words[from] == "distinct" && from + 1 < to && _words[from + 1] == "on" ? Closing(from + 2) - from + 1 : 1;
        }

        var items = new List<Item>();
        foreach ((int first, int last) in Split(from, to))
        {
            if (first >= last || (_tokens[last - 1].Kind == TokenKind.Operator && Text(last - 1, last) == "*"))
            {
                return null;
            }

            bool named = last - first >= 3 && _words[last - 2] == "as";
            bool bare = !named && last - first >= 2 && Name(last - 1) is not null && _words[last - 1] is not ("end" or "null" or "true" or "false")
                && _tokens[last - 2].Kind is TokenKind.Word or TokenKind.QuotedIdentifier or TokenKind.CloseParen or TokenKind.Number or TokenKind.String;
            int behind = named ? last - 2 : bare ? last - 1 : last;
            string? output = Name(last - 1) is not null ? Text(last - 1, last) : null;
            items.Add(new(Text(first, behind), named || bare ? Name(last - 1) : null, output, HasUnnamed(first, behind)));
        }

        return items;
    }

    private int Closing(int open)
    {
        int at = open + 1;
        while (at < _tokens.Count && _depths[at] > _depths[open])
        {
            at++;
        }

        return at;
    }

    private int Next(int from, int to, Func<string, bool> word)
    {
        while (from < to && !word(_words[from]))
        {
            from++;
        }

        return from;
    }

    private IEnumerable<(int From, int To)> Split(int from, int to)
    {
        int start = from;
        for (int i = from; i < to; i++)
        {
            if (_tokens[i].Kind == TokenKind.Comma && _depths[i] == 0)
            {
                yield return (start, i);
                start = i + 1;
            }
        }

        yield return (start, to);
    }

    /// <summary>Whether a parameter without a name stands there: said twice, it would be two.</summary>
    private bool HasUnnamed(int from, int to) => Enumerable.Range(from, Math.Max(0, to - from)).Any(i => _tokens[i].Kind == TokenKind.Parameter && Text(i, i + 1) == "?");

    private string Text(int from, int to) => from >= to ? "" : _sql[_tokens[from].Start.._tokens[to - 1].End];

    private string? Name(int at) => _tokens[at].Kind switch
    {
        TokenKind.Word => Text(at, at + 1),
        TokenKind.QuotedIdentifier => Text(at, at + 1)[1..^1].Replace("\"\"", "\"", StringComparison.Ordinal),
        _ => null,
    };

    /// <param name="Expression">As it stands in the list.</param>
    /// <param name="Alias">Its other name, without quotes; null where it has none.</param>
    /// <param name="HasUnnamed">Whether a parameter without a name stands in it.</param>
    /// <param name="Output">The name that it comes out with, as written; null where the engine makes one.</param>
    private sealed record Item(string Expression, string? Alias, string? Output, bool HasUnnamed);
}
