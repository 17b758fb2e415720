using System.Globalization;
using System.Text.RegularExpressions;
using SwiftLedger.Core.Plans;

namespace SwiftLedger.Subjects.Postgres;

/// <summary>
/// Values of a column by its statistics: an expression that turns a rank from 0 to 1 into a value, so that common values come as often,
/// histogram groups hold as many rows, and as many values are different. A rank that follows the row's number gives the column the order of
/// its table.
/// </summary>
/// <remarks>PostgreSQL manual, view pg_stats: a histogram's groups hold equally many rows; common values and NULL are not in them.</remarks>
/// <param name="Name">As SQL writes it.</param>
/// <param name="Type">As SQL writes it; of a domain, the one beneath it.</param>
/// <param name="Limit">Most characters of a text; null where there is no limit.</param>
/// <param name="Width">Bytes that a value takes on average.</param>
/// <param name="Unique">Whether no two rows may share a value.</param>
internal sealed partial record MadeColumn(string Name, string Type, int? Limit, bool NotNull, double Width, bool Unique, ColumnStatistics Statistics)
{
    /// <summary>Ranks of rows that may share no value lie evenly: in steps so much finer, each has one of its own.</summary>
    private const double Apart = 4;

    private static readonly string[] Whole = ["smallint", "integer", "bigint"];

    /// <summary>Values in between are made up by the way that the type counts; of any other type there are those that the statistics name.</summary>
    private enum Kind
    {
        Whole,
        Number,
        Float,
        Date,
        Moment,
        Text,
        Uuid,
        AsNamed,
    }

    /// <summary>Common values and histogram groups in the order of the type.</summary>
    public IReadOnlyList<Piece> Pieces { get; init; } = [];

    /// <summary>A stretch of values: from one to below another, or a single one.</summary>
    /// <param name="Weight">Its share of the rows that are not NULL.</param>
    public readonly record struct Piece(string Low, string High, double Weight)
    {
        public bool IsOne => Low == High;
    }

    /// <summary>How many times as many keys a whole-numbered key column has than its subject, where they are more; for those that refer to it as well.</summary>
    public Stretch? Stretched { get; init; }

    /// <param name="From">The least value, which stays.</param>
    public sealed record Stretch(string From, double Times);

    /// <summary>Different values among those that are not common ones.</summary>
    /// <param name="rows">Rows that are made.</param>
    /// <param name="more">How many times as many values there are to choose from.</param>
    public double OtherValues(double rows, double more) =>
        Math.Max(1, Math.Min(rows, Unique ? rows : Statistics.DistinctOf(rows) * (Statistics.Distinct > 0 ? more : 1)) - Statistics.Common.Count);

    /// <summary>The rank of a row, <c>i</c> its number from 0.</summary>
    /// <param name="rows">Rows that are made.</param>
    /// <param name="again">Whether these rows fill up for others that met their equals: no order is left to follow.</param>
    public string Rank(long rows, bool again)
    {
        double order = Statistics.Correlation ?? 0;
        string n = Text(rows);
        string along = order < 0 ? $"(({n} - i - 0.5) / {n})::float8" : $"((i + 0.5) / {n})::float8";
        string rank = again ? "random()"
            : Unique ? Math.Abs(order) > 0.9 ? along : $"(((i * {Text(Step(rows))}::numeric) % {n} + 0.5) / {n})::float8"
            : Math.Abs(order) < 0.01 ? "random()"
            : $"CASE WHEN random() < {Text(Math.Abs(order))} THEN {along} ELSE random() END";
        return Statistics.NullFraction is > 0 and var missing && !NotNull ? $"CASE WHEN random() < {Text(missing)} THEN NULL ELSE {rank} END" : rank;
    }

    /// <summary>The number of the piece that a rank falls into, from 1.</summary>
    public string Bucket(string rank) => $"width_bucket({rank}, {Floats(Edges())})";

    /// <summary>The value of a rank.</summary>
    /// <param name="rank">Name of the rank's column; <paramref name="bucket"/> likewise.</param>
    /// <returns>An expression of the column's type; null where the statistics name no value and none can be made up.</returns>
    public string? Value(string rank, string bucket, double rows, double more, ulong seed)
    {
        if (Pieces.Count == 0)
        {
            return MadeUp(rank, rows, seed) ?? (NotNull ? null : $"NULL::{Type}");
        }

        double others = OtherValues(rows, more), weight = Pieces.Where(p => !p.IsOne).Sum(p => p.Weight);
        double[] counts = [.. Pieces.Select(p => p.IsOne ? 1 : Math.Max(1, Math.Round((Unique ? Apart : 1) * others * p.Weight / weight)))];
        string lows = Items(Pieces.Select(p => p.Low)), highs = Items(Pieces.Select(p => p.High));
        string count = $"({Floats(counts)})[{bucket}]";
        string at = $"least({count} - 1, floor(({rank} - ({Floats(Edges())})[{bucket}]) / ({Floats(Pieces.Select(p => p.Weight))})[{bucket}] * {count}))";
        string share = $"(({at} + 0.5) / {count})";
        string Of(string items, string type) => $"({items}::{type}[])[{bucket}]";
        string low = Of(lows, Type), high = Of(highs, Type);
        return KindOf(Type) switch
        {
            Kind.Whole when Stretched is { } s => $"({s.From}::{Type} + floor((({low}::float8 - {s.From}::{Type}) + ({high}::float8 - {low}::float8) * {share}) * {Text(s.Times)})::bigint)",
            Kind.Whole => $"({low} + floor(({high}::float8 - {low}::float8) * {share})::bigint)",
            Kind.Number => $"round({low} + ({high} - {low}) * {share}::numeric, {Text(Pieces.Max(p => Decimals(p.Low)))})",
            Kind.Float => $"({low} + ({high} - {low}) * {share})",
            Kind.Date => $"({low} + floor(({high} - {low}) * {share})::int)",
            Kind.Moment => Pieces.All(p => IsWholeSecond(p.Low)) ? $"date_trunc('second', {low} + ({high} - {low}) * {share})" : $"({low} + ({high} - {low}) * {share})",
            Kind.Text when FormOfMoments() is { } form => $"to_char({Of(lows, "timestamp")} + ({Of(highs, "timestamp")} - {Of(lows, "timestamp")}) * {share}, {PostgresConnection.Literal(form)})",
            Kind.Text when Numbered() is { } n => $"({PostgresConnection.Literal(n.Before)} || lpad(({Of(n.Lows, "bigint")} + floor(({Of(n.Highs, "bigint")} - {Of(n.Lows, "bigint")}) * {share}))::bigint::text, {Text(n.Width)}, '0'))",
            Kind.Text => $"CASE WHEN {at} = 0 THEN {low} ELSE {Shortened(low, $"to_hex({at}::bigint)")} END",
            Kind.Uuid => $"CASE WHEN {count} = 1 THEN {low} ELSE md5({Literal(seed)} || {bucket} || ' ' || {at})::uuid END",
            _ => low,
        };
    }

    /// <summary>A value of about the width that others have, where they are too wide for the server to keep any.</summary>
    private string? MadeUp(string rank, double rows, ulong seed)
    {
        string which = $"floor({rank} * {Text(Math.Max(1, OtherValues(rows, 1)))})";
        string text = $"(SELECT string_agg(md5({Literal(seed)} || {which} || g), '') FROM generate_series(1, {Text(Math.Max(1, Math.Ceiling(Width / 32)))}) g)";
        if (Unique && KindOf(Type) == Kind.Whole)
        {
            return $"(1 + floor({rank} * {Text(rows)}))::{Type}";
        }

        return KindOf(Type) == Kind.Text ? Limit is { } most ? $"left({text}, {Text(most)})" : text : Type switch
        {
            "bytea" => $"decode({text}, 'hex')",
            "uuid" => $"md5({Literal(seed)} || {which})::uuid",
            "json" or "jsonb" => $"to_json({text})::{Type}",
            "interval" => $"make_interval(mins => {which}::int)",
            "time without time zone" => $"('00:00'::time + make_interval(secs => {which} % 86400))",
            "inet" or "cidr" => $"('10.0.0.0'::inet + {which}::bigint % 16777216)::{Type}",
            _ when Type.EndsWith("[]", StringComparison.Ordinal) => $"'{{}}'::{Type}",
            _ => null,
        };
    }

    /// <summary>Of texts that all are dates, or moments, in the one form that sorts by time: that form, as the server writes it.</summary>
    private string? FormOfMoments()
    {
        int length = Pieces[0].Low.Length;
        return length is 10 or 16 or 19 && Pieces.All(p => p.Low.Length == length && p.High.Length == length && Moment().IsMatch(p.Low) && Moment().IsMatch(p.High))
            ? "YYYY-MM-DD" + (length == 10 ? "" : $"\"{Pieces[0].Low[10]}\"HH24:MI") + (length == 19 ? ":SS" : "") : null;
    }

    /// <summary>Of texts that all are a number of as many digits behind the same words.</summary>
    /// <returns>The words, how many digits, and the numbers that begin and end the pieces.</returns>
    private (string Before, int Width, string Lows, string Highs)? Numbered()
    {
        string first = Pieces[0].Low, before = first.TrimEnd([.. "0123456789"]);
        int width = first.Length - before.Length;
        bool Fits(string text) => text.Length == first.Length && text.StartsWith(before, StringComparison.Ordinal) && text.AsSpan(before.Length).IndexOfAnyExceptInRange('0', '9') < 0;
        return width is > 0 and <= 18 && Pieces.All(p => Fits(p.Low) && Fits(p.High))
            ? (before, width, Items(Pieces.Select(p => p.Low[before.Length..])), Items(Pieces.Select(p => p.High[before.Length..]))) : null;
    }

    [GeneratedRegex("^[0-9]{4}-[01][0-9]-[0-3][0-9](?:[ T][0-2][0-9]:[0-5][0-9](?::[0-5][0-9])?)?$", RegexOptions.CultureInvariant)]
    private static partial Regex Moment();

    private IEnumerable<double> Edges()
    {
        double sum = 0;
        foreach (Piece piece in Pieces)
        {
            yield return sum;
            sum += piece.Weight;
        }
    }

    /// <summary>A text with another behind it, cut where both are too long.</summary>
    private string Shortened(string text, string behind) => Limit is { } most ? $"left({text}, {Text(most)} - length({behind})) || {behind}" : $"{text} || {behind}";

    private static Kind KindOf(string type) => type switch
    {
        _ when Whole.Contains(type) => Kind.Whole,
        "numeric" => Kind.Number,
        "real" or "double precision" => Kind.Float,
        "date" => Kind.Date,
        "timestamp without time zone" or "timestamp with time zone" => Kind.Moment,
        "text" or "character varying" or "bpchar" => Kind.Text,
        _ when IsWordsInAnyCase(type) => Kind.Text,
        "uuid" => Kind.Uuid,
        _ => Kind.AsNamed,
    };

    public static bool IsWhole(string type) => Whole.Contains(type);

    /// <summary>The type of the extension citext, wherever that was put.</summary>
    public static bool IsWordsInAnyCase(string type) => type == "citext" || type.EndsWith(".citext", StringComparison.Ordinal);

    private static int Decimals(string number) => number.IndexOf('.', StringComparison.Ordinal) is >= 0 and var point ? number.Length - point - 1 : 0;

    private static bool IsWholeSecond(string moment) => !moment.Contains('.', StringComparison.Ordinal);

    /// <summary>A step that visits each of so many numbers once, far from the one before: near the golden section, with no divisor in common.</summary>
    private static long Step(long rows)
    {
        long step = Math.Max(1, (long)(rows * 0.618_033_988_749_895));
        while (Gcd(step, rows) != 1)
        {
            step++;
        }

        return step;

        static long Gcd(long a, long b) => b == 0 ? a : Gcd(b, a % b);
    }

    private static string Floats(IEnumerable<double> numbers) => $"'{{{string.Join(',', numbers.Select(n => n.ToString("R", CultureInfo.InvariantCulture)))}}}'::float8[]";

    private static string Items(IEnumerable<string> items) => PostgresConnection.Literal(ArrayLiteral.Of(items));

    private static string Literal(ulong seed) => $"'{seed.ToString(CultureInfo.InvariantCulture)} '";

    private static string Text(double number) => number.ToString("R", CultureInfo.InvariantCulture);
}
