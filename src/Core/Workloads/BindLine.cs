using System.Globalization;
using SwiftLedger.Core.Sql;

namespace SwiftLedger.Core.Workloads;

/// <summary>One parameter set as a bind line gives it.</summary>
/// <param name="Share">Its share of the calls, where given.</param>
/// <param name="Bindings">Its values by their keys.</param>
/// <param name="Span">Where it stands.</param>
public sealed record BindLine(double? Share, IReadOnlyList<Binding> Bindings, TextSpan Span)
{
    internal static BindLine Read(string file, Directive directive, InputPart part, List<InputProblem> problems)
    {
        double? share = null;
        if (directive.Qualifier.Length > 0)
        {
            if (double.TryParse(directive.Qualifier, NumberStyles.AllowDecimalPoint, CultureInfo.InvariantCulture, out double given)
                && given is >= 0 and <= 1)
            {
                share = given;
            }
            else
            {
                problems.Add(InputProblem.At(part, file, directive.Span,
                    $"'{directive.Qualifier}' is not a share of the calls: write a fraction from 0 to 1, as in 'bind 0.7: ...'."));
            }
        }

        return new(share, ReadPairs(file, directive, part, problems), directive.Span);
    }

    /// <summary>Values as such a line has them: <c>hut=3, night='2026-07-18'</c>.</summary>
    public static string TextOf(IReadOnlyList<Binding> bindings) => string.Join(", ", bindings.Select(b => $"{b.Key}={b.Value}"));

    /// <summary>As many pairs of a line as can be read.</summary>
    public static IReadOnlyList<Binding> Pairs(string line)
    {
        var pairs = new List<Binding>();
        var reader = new Reader(line);
        while (!reader.AtEnd && reader.ReadPair() is { } pair)
        {
            pairs.Add(pair);
        }

        return pairs;
    }

    internal static List<Binding> ReadPairs(string file, Directive directive, InputPart part, List<InputProblem> problems)
    {
        var bindings = new List<Binding>();
        var reader = new Reader(directive.Value);
        while (!reader.AtEnd)
        {
            int start = reader.Position;
            if (reader.ReadPair() is not { } pair)
            {
                problems.Add(InputProblem.At(part, file, new(directive.ValueSpan.Start + reader.Position, 1),
                    "A bind line reads 'name=value, name=value', each value an SQL literal such as 3, -1.5, 'text', x'0f', null or true."));
                break;
            }

            if (bindings.Any(b => b.Key == pair.Key))
            {
                problems.Add(InputProblem.At(part, file, new(directive.ValueSpan.Start + start, reader.Position - start),
                    $"'{pair.Key}' has a value already in this bind line."));
            }

            bindings.Add(pair);
        }

        return bindings;
    }

    private ref struct Reader
    {
        private readonly string _text;
        private SqlLexer _lexer;
        private Token _token;
        private bool _more;

        public Reader(string text)
        {
            _text = text;
            _lexer = new(text, SqlDialect.OfOurOwn);
            _more = _lexer.TryReadSignificant(out _token);
        }

        public readonly bool AtEnd => !_more;

        public readonly int Position => _more ? _token.Start : _text.Length;

        private readonly ReadOnlySpan<char> Text => _lexer.TextOf(_token);

        public Binding? ReadPair()
        {
            if (ReadKey() is not { } key || !_more || _token.Kind != TokenKind.Operator || Text is not "=")
            {
                return null;
            }

            Advance();
            if (ReadValue() is not { } value)
            {
                return null;
            }

            if (_more)
            {
                if (_token.Kind != TokenKind.Comma)
                {
                    return null;
                }

                Advance();
                if (!_more)
                {
                    return null;
                }
            }

            return new(key, value);
        }

        private void Advance() => _more = _lexer.TryReadSignificant(out _token);

        private string? ReadKey()
        {
            string? key = _token.Kind switch
            {
                TokenKind.Word or TokenKind.Number => Text.ToString(),
                TokenKind.Parameter when _token.Length > 1 => Text[1..].ToString(),
                _ => null,
            };
            Advance();
            return key;
        }

        private SqlValue? ReadValue()
        {
            bool negative = false;
            if (_more && _token.Kind == TokenKind.Operator && Text is "-" or "+")
            {
                negative = Text is "-";
                Advance();
                if (!_more || _token.Kind != TokenKind.Number)
                {
                    return null;
                }
            }

            if (!_more || _token.Flaw != TokenFlaw.None)
            {
                return null;
            }

            SqlValue? value = _token.Kind switch
            {
                TokenKind.Number => SqlValue.OfNumber(Text, negative),
                TokenKind.String => SqlValue.Of(Text[1..^1].ToString().Replace("''", "'", StringComparison.Ordinal)),
                TokenKind.Blob => SqlValue.Of(Convert.FromHexString(Text[2..^1])),
                TokenKind.Word => Text.ToString().ToLowerInvariant() switch
                {
                    "null" => SqlValue.Null,
                    "true" => SqlValue.Of(true),
                    "false" => SqlValue.Of(false),
                    _ => null,
                },
                _ => null,
            };
            Advance();
            return value;
        }
    }
}
