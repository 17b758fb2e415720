using System.Text;
using System.Text.Json;
using System.Xml;
using YamlDotNet.Core;
using YamlDotNet.Core.Events;

namespace SwiftLedger.Core.Engines.Postgres;

/// <summary>Reads the JSON, XML and YAML of EXPLAIN. None of them recurses: a plan may nest deeper than the machine's stack.</summary>
internal static class PostgresForms
{
    /// <summary>Levels: an operator takes two, and its fields one more.</summary>
    private const int Deepest = (2 * PastedPlan.DeepestTree) + 10;

    private static readonly HashSet<string> ItemsOfXml = new(StringComparer.Ordinal) { "Item", "Worker", "Trigger", "Query" };

    public static bool IsJson(string text) => text.TrimStart('\uFEFF', ' ', '\t', '\r', '\n') is ['{' or '[', ..];

    public static bool IsXml(string text) => text.TrimStart('\uFEFF', ' ', '\t', '\r', '\n') is ['<', ..];

    /// <summary>Whether a line says <c>Plan:</c> and nothing else, as no line of the text form does.</summary>
    public static bool IsYaml(string text) => text.Split('\n', 50).Any(l => l.TrimStart(' ', '-').TrimEnd() == "Plan:");

    /// <summary>The first statement.</summary>
    /// <returns>Null where there is none, with what is wrong with the text: null where it is well formed.</returns>
    public static (PostgresNode? Statement, string? Problem) Read(string text)
    {
        var tree = new Tree();
        try
        {
            if (IsJson(text))
            {
                ReadJson(text, tree);
            }
            else if (IsXml(text))
            {
                ReadXml(text, tree);
            }
            else
            {
                ReadYaml(text, tree);
            }
        }
        catch (JsonException e)
        {
            return (null, $"The JSON ends or breaks at line {(e.LineNumber ?? 0) + 1}, byte {(e.BytePositionInLine ?? 0) + 1}: is it cut?");
        }
        catch (XmlException e)
        {
            return (null, $"The XML ends or breaks at line {e.LineNumber}, column {e.LinePosition}: is it cut?");
        }
        catch (YamlException e)
        {
            return (null, $"The YAML breaks at line {e.Start.Line}, column {e.Start.Column}: is it cut?");
        }
        catch (Exception e) when (e is InvalidOperationException or ArgumentException or FormatException or OverflowException)
        {
            // Half a surrogate pair in JSON, or what the YAML reader stumbles over: it says so in its own ways.
            return (null, $"The text breaks where it cannot be read: {e.Message.ReplaceLineEndings(" ")}");
        }

        return (tree.Top.Nodes("") is [var first, ..] ? first : null, null);
    }

    private static void ReadJson(string text, Tree tree)
    {
        var reader = new Utf8JsonReader(Encoding.UTF8.GetBytes(text.TrimStart('\uFEFF')), new JsonReaderOptions { MaxDepth = Deepest });
        string name = "";
        while (reader.Read())
        {
            switch (reader.TokenType)
            {
                case JsonTokenType.PropertyName:
                    name = reader.GetString()!;
                    break;
                case JsonTokenType.StartObject:
                    tree.Open(name);
                    break;
                case JsonTokenType.StartArray:
                    tree.OpenList(name);
                    break;
                case JsonTokenType.EndObject or JsonTokenType.EndArray:
                    tree.Close();
                    break;
                case JsonTokenType.String:
                    tree.Field(name, reader.GetString()!);
                    break;
                default:
                    tree.Field(name, Encoding.UTF8.GetString(reader.ValueSpan));
                    break;
            }
        }
    }

    /// <summary>Names have hyphens for spaces; whether an element holds a value, fields or items shows at what comes next.</summary>
    private static void ReadXml(string text, Tree tree)
    {
        using var reader = XmlReader.Create(new StringReader(text.TrimStart('\uFEFF', ' ', '\t', '\r', '\n')), new XmlReaderSettings { DtdProcessing = DtdProcessing.Prohibit, MaxCharactersFromEntities = 0 });
        string? waiting = null;
        string value = "";
        while (reader.Read())
        {
            if (reader.NodeType == XmlNodeType.Element)
            {
                string name = reader.LocalName.Replace('-', ' ');
                if (waiting is not null)
                {
                    OpenXml(tree, waiting, name);
                }

                (waiting, value) = (name, "");
                if (reader.IsEmptyElement)
                {
                    tree.Field(name, "");
                    waiting = null;
                }
            }
            else if (reader.NodeType is XmlNodeType.Text or XmlNodeType.CDATA or XmlNodeType.SignificantWhitespace)
            {
                value += reader.Value;
            }
            else if (reader.NodeType == XmlNodeType.EndElement)
            {
                if (waiting is not null)
                {
                    tree.Field(waiting, value);
                    waiting = null;
                }
                else
                {
                    tree.Close();
                }
            }

            if (reader.Depth > Deepest)
            {
                throw new XmlException("Too deep.", null, ((IXmlLineInfo)reader).LineNumber, ((IXmlLineInfo)reader).LinePosition);
            }
        }
    }

    private static void OpenXml(Tree tree, string name, string firstChild)
    {
        if (name is "Plans" or "explain" || ItemsOfXml.Contains(firstChild))
        {
            tree.OpenList(name == "explain" ? "" : name);
        }
        else
        {
            tree.Open(name);
        }
    }

    private static void ReadYaml(string text, Tree tree)
    {
        var parser = new Parser(new StringReader(text));
        int depth = 0;
        while (parser.MoveNext())
        {
            switch (parser.Current)
            {
                case MappingStart:
                    tree.Open(tree.TakeKey());
                    depth++;
                    break;
                case SequenceStart:
                    tree.OpenList(tree.TakeKey());
                    depth++;
                    break;
                case MappingEnd or SequenceEnd:
                    tree.Close();
                    depth--;
                    break;
                case Scalar scalar:
                    tree.KeyOrValue(scalar.Value);
                    break;
                case AnchorAlias:
                    tree.KeyOrValue("");
                    break;
            }

            if (depth > Deepest)
            {
                throw new YamlException(parser.Current!.Start, parser.Current.End, "Too deep.");
            }
        }
    }

    /// <summary>Nodes in the making: inside a list, its name is the last one.</summary>
    private sealed class Tree
    {
        private readonly Stack<(PostgresNode Node, string? List)> _open = new();
        private string? _key;

        public Tree() => _open.Push((Top, ""));

        public PostgresNode Top { get; } = new();

        public void Open(string name)
        {
            (PostgresNode above, string? list) = _open.Peek();
            var node = new PostgresNode();
            above.Add(list ?? name, node);
            _open.Push((node, null));
        }

        public void OpenList(string name)
        {
            (PostgresNode above, string? list) = _open.Peek();
            _open.Push((above, list ?? name));
        }

        public void Field(string name, string value)
        {
            (PostgresNode node, string? list) = _open.Peek();
            if (list is null)
            {
                node.Set(name, value);
            }
            else
            {
                node.Append(list, value);
            }
        }

        public void Close()
        {
            if (_open.Count > 1)
            {
                _open.Pop();
            }
        }

        public string TakeKey()
        {
            string key = _key ?? "";
            _key = null;
            return key;
        }

        /// <summary>Of a mapping, keys and values come by turns.</summary>
        public void KeyOrValue(string scalar)
        {
            if (_open.Peek().List is null && _key is null)
            {
                _key = scalar;
            }
            else
            {
                Field(TakeKey(), scalar);
            }
        }
    }
}
