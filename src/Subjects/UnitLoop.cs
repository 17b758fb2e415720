using System.Diagnostics;
using SwiftLedger.Core.Sql;
using SwiftLedger.Core.Workloads;

namespace SwiftLedger.Subjects;

/// <summary>
/// Executes a unit of work as an application does: one statement behind the other, each sent by itself, the rows of a list read to their end before
/// anything runs for one of them.
/// </summary>
/// <remarks>
/// What a unit gives is what one statement in its place has to give: the rows of each statement that is in no loop, in turn; and where others run for
/// each of its rows, each row with what they return for it, as a left join would put them side by side. A list whose rows only feed writes is
/// nothing that the unit gives.
/// </remarks>
internal sealed class UnitLoop : IDisposable
{
    /// <summary>Rows of a list, and rows that one of them may become: an application that reads more keeps them in no memory either.</summary>
    private const int MostRows = 1_000_000;

    private readonly Node[] _nodes;
    private readonly ExecutionLimit _limit;
    private long _begun;
    private TimeSpan _most;

    /// <param name="unit">What is executed.</param>
    /// <param name="bindings">What no row gives.</param>
    /// <param name="prepare">Prepares one of its statements.</param>
    /// <param name="limit">Of the whole unit.</param>
    /// <exception cref="EngineException">A statement cannot be prepared, or a parameter has no value.</exception>
    public UnitLoop(WorkUnit unit, IReadOnlyList<Binding> bindings, Func<UnitStatement, IUnitStep> prepare, ExecutionLimit limit)
    {
        _limit = limit;
        _nodes = new Node[unit.Statements.Count];
        try
        {
            for (int i = 0; i < _nodes.Length; i++)
            {
                UnitStatement statement = unit.Statements[i];
                _nodes[i] = new(i, statement, Placed(prepare, statement), statement.ForEachRowOf is { } list ? _nodes[list] : null);
                Tie(_nodes[i], bindings);
            }
        }
        catch
        {
            Dispose();
            throw;
        }
    }

    /// <summary>Whether any of its statements may write.</summary>
    public bool Writes => _nodes.Any(n => n.Step.Writes);

    /// <summary>How often the latest execution sent each of its statements.</summary>
    public IReadOnlyList<long> SentOfEach => [.. _nodes.Select(n => n.Sent)];

    /// <summary>Rows that the latest execution changed.</summary>
    public long Affected { get; private set; }

    /// <summary>Told of each execution before it is sent: the statement's place, and its values by their places. Null for nobody.</summary>
    public Action<int, IReadOnlyList<SqlValue>>? Sending { get; set; }

    /// <summary>Whether the order of what <see cref="Read"/> gave is that of its statements: false where one that orders nothing returned several rows.</summary>
    public bool HasOrder { get; private set; }

    /// <summary>Whether the unit returns rows, apart from those that only feed its writes.</summary>
    public bool Returns => Roots.Any(n => n.Gives);

    private IEnumerable<Node> Roots => _nodes.Where(n => n.List is null);

    /// <summary>Executes the unit once and keeps nothing.</summary>
    /// <exception cref="EngineException">A statement failed, or the unit took longer than its limit.</exception>
    public void Run()
    {
        Begin();
        foreach (Node node in _nodes)
        {
            if (node.List is null)
            {
                Run(node);
            }
        }
    }

    /// <summary>Sends what a loop goes through, and no more than the first round of each loop; what no other statement runs for is only told of, and not executed.</summary>
    /// <exception cref="EngineException">A statement failed, or the unit took longer than its limit.</exception>
    public void RunFirstRows()
    {
        Begin();
        foreach (Node root in Roots)
        {
            RunFirstRow(root);
        }
    }

    /// <summary>Executes the unit once, and tells the rows that it gives.</summary>
    /// <param name="hash">Begun with a row, and to be ended by who is told of it.</param>
    /// <param name="row">Told of each.</param>
    /// <param name="shows">Whether the row's values are asked for.</param>
    /// <param name="whole">Whether long values are not cut.</param>
    /// <exception cref="EngineException">A statement failed, or the unit took longer than its limit.</exception>
    public void Read(RowHash hash, Action<Func<(IReadOnlyList<string> Names, IReadOnlyList<(string Type, string Value)> Values)>> row, bool shows = false, bool whole = false)
    {
        Begin();
        HasOrder = true;
        foreach (Node root in Roots)
        {
            if (root.Children.Count == 0)
            {
                Send(root);
                long rows = 0;
                Func<(IReadOnlyList<string>, IReadOnlyList<(string, string)>)> shown = () => (root.Step.Columns, root.Step.Shown(whole));
                root.Step.Execute(() =>
                {
                    hash.Begin();
                    root.Step.AddTo(hash);
                    row(shown);
                    rows++;
                });
                Count(root, rows);
                continue;
            }

            var names = new List<string>();
            foreach (Joined joined in Rows(root, hash, shows, whole))
            {
                if (root.Gives)
                {
                    hash.Begin(joined.Hashed);
                    row(() => (names.Count > 0 ? names : Names(root, names), joined.Shown));
                }
            }
        }
    }

    public void Dispose()
    {
        foreach (Node? node in _nodes)
        {
            node?.Step.Dispose();
        }
    }

    /// <summary>A complaint about one statement has its place in the unit's text.</summary>
    private static IUnitStep Placed(Func<UnitStatement, IUnitStep> prepare, UnitStatement statement)
    {
        try
        {
            return prepare(statement);
        }
        catch (EngineException e) when (e.Offset is { } at)
        {
            throw new EngineException(e.Message, statement.Body.Start + at, e.TimeLimit) { Bound = e.Bound, Code = e.Code };
        }
    }

    private static void Tie(Node node, IReadOnlyList<Binding> bindings)
    {
        for (int i = 0; i < node.Step.Parameters.Count; i++)
        {
            string key = node.Step.Parameters[i];
            string column = node.Statement.Values.FirstOrDefault(v => v.Parameter == key)?.Column ?? key;
            bool named = column != key || node.Statement.Values.Any(v => v.Parameter == key);
            if (SourceOf(node, column) is { } source)
            {
                node.Sources.Add((i, source.List, source.List.Keep(source.Column)));
            }
            else if (!named && bindings.FirstOrDefault(b => b.Key == key) is { } binding)
            {
                node.Step.Set(i, binding.Value);
                node.Values[i] = binding.Value;
            }
            else
            {
                throw new EngineException(named
                    ? $"No statement that a loop goes through returns a column '{column}' for the parameter '{key}'"
                    : $"'{key}' has no value: no bind line gives one{(node.List is null ? "" : ", and no row that a loop goes through has a column of this name")}", node.Statement.Body.Start);
            }
        }
    }

    /// <summary>The nearest list around a statement that has a column.</summary>
    private static (Node List, int Column)? SourceOf(Node node, string column)
    {
        for (Node? list = node.List; list is not null; list = list.List)
        {
            List<int> found = [.. list.Step.Columns.Index().Where(c => c.Item.Equals(column, StringComparison.OrdinalIgnoreCase)).Select(c => c.Index)];
            if (found.Count > 1)
            {
                throw new EngineException($"Statement {list.Number + 1} of the unit returns {found.Count} columns '{column}': a loop cannot tell which one it is given", list.Statement.Body.Start);
            }

            if (found.Count == 1)
            {
                return (list, found[0]);
            }
        }

        return null;
    }

    private void Begin()
    {
        Affected = 0;
        foreach (Node node in _nodes)
        {
            node.Sent = 0;
        }

        (_begun, _most) = (Stopwatch.GetTimestamp(), _limit.Now);
    }

    private void Run(Node node)
    {
        Send(node);
        if (node.Children.Count == 0)
        {
            node.Step.Execute(null);
            Count(node, 0);
            return;
        }

        node.Rows.Clear();
        node.Step.Execute(node.Take);
        Count(node, 0);
        for (int i = 0; i < node.Rows.Count; i++)
        {
            node.At = node.Rows[i];
            foreach (Node child in node.Children)
            {
                Run(child);
            }
        }
    }

    private void RunFirstRow(Node node)
    {
        Send(node);
        if (node.Children.Count == 0)
        {
            return;
        }

        node.Rows.Clear();
        node.Step.Execute(() =>
        {
            if (node.Rows.Count == 0)
            {
                node.Take();
            }
        });
        foreach (Node child in node.Rows.Count > 0 ? node.Children : [])
        {
            node.At = node.Rows[0];
            RunFirstRow(child);
        }
    }

    private void Send(Node node)
    {
        if (Stopwatch.GetElapsedTime(_begun) > _most)
        {
            throw _limit.Exceeded;
        }

        foreach ((int parameter, Node list, int slot) in node.Sources)
        {
            SqlValue value = list.At[slot];
            node.Step.Set(parameter, value);
            node.Values[parameter] = value;
        }

        Sending?.Invoke(node.Number, node.Values);
        node.Sent++;
    }

    private void Count(Node node, long rows)
    {
        Affected += node.Step.Affected;
        HasOrder &= rows <= 1 || node.Statement.OrdersRows;
    }

    /// <summary>The rows of a list with what is returned for each.</summary>
    private IEnumerable<Joined> Rows(Node node, RowHash hash, bool shows, bool whole)
    {
        Send(node);
        var rows = new List<(SqlValue[] Kept, Joined Row)>();
        node.Step.Execute(() =>
        {
            hash.Begin();
            node.Step.AddTo(hash);
            rows.Add((node.Kept(), new(hash.Taken(), shows ? node.Step.Shown(whole) : [])));
            if (rows.Count > MostRows)
            {
                throw new EngineException($"The list of a loop has more than {MostRows} rows");
            }
        });
        Count(node, rows.Count);
        foreach ((SqlValue[] kept, Joined row) in rows)
        {
            node.At = kept;
            var joined = new List<Joined> { row };
            foreach (Node child in node.Children)
            {
                List<Joined> below = [.. Rows(child, hash, shows, whole)];
                if (!child.Gives)
                {
                    continue;
                }

                if (below.Count == 0)
                {
                    below.Add(Nothing(child, hash, shows));
                }

                if ((long)joined.Count * below.Count > MostRows)
                {
                    throw new EngineException($"One row of a list becomes more than {MostRows} rows with what its statements return for it");
                }

                joined = [.. joined.SelectMany(_ => below, (left, right) => new Joined([.. left.Hashed, .. right.Hashed], shows ? [.. left.Shown, .. right.Shown] : []))];
            }

            foreach (Joined one in joined)
            {
                yield return one;
            }
        }
    }

    /// <summary>What stands beside a row for which a statement returned nothing.</summary>
    private static Joined Nothing(Node node, RowHash hash, bool shows)
    {
        hash.Begin();
        node.Step.AddNothingTo(hash);
        var nothing = new Joined(hash.Taken(), shows ? [.. node.Step.Columns.Select(_ => ("", "NULL"))] : []);
        return node.Children.Where(c => c.Gives).Aggregate(nothing, (all, child) => Nothing(child, hash, shows) is var below
            ? new([.. all.Hashed, .. below.Hashed], [.. all.Shown, .. below.Shown]) : all);
    }

    private static List<string> Names(Node node, List<string> names)
    {
        names.AddRange(node.Step.Columns);
        foreach (Node child in node.Children.Where(c => c.Gives))
        {
            Names(child, names);
        }

        return names;
    }

    /// <param name="Hashed">The row as it goes into its hash.</param>
    private sealed record Joined(byte[] Hashed, IReadOnlyList<(string Type, string Value)> Shown);

    private sealed class Node
    {
        private readonly List<int> _kept = [];

        public Node(int number, UnitStatement statement, IUnitStep step, Node? list)
        {
            (Number, Statement, Step, List) = (number, statement, step, list);
            Values = [.. Enumerable.Repeat(SqlValue.Null, step.Parameters.Count)];
            Take = () => Rows.Add(Kept());
            list?.Children.Add(this);
        }

        public int Number { get; }

        public UnitStatement Statement { get; }

        public IUnitStep Step { get; }

        public long Sent { get; set; }

        public Node? List { get; }

        public List<Node> Children { get; } = [];

        /// <summary>Which parameter gets which of the values that a list keeps.</summary>
        public List<(int Parameter, Node List, int Slot)> Sources { get; } = [];

        public SqlValue[] Values { get; }

        public List<SqlValue[]> Rows { get; } = [];

        /// <summary>What is kept of the row that the loop is at.</summary>
        public SqlValue[] At { get; set; } = [];

        public Action Take { get; }

        /// <summary>Whether what it returns is part of what the unit gives.</summary>
        public bool Gives => Children.Count == 0 ? Step.Columns.Count > 0 : Children.Any(c => c.Gives);

        /// <summary>Keeps a column of each row.</summary>
        /// <returns>Its place among those kept.</returns>
        public int Keep(int column)
        {
            if (!_kept.Contains(column))
            {
                _kept.Add(column);
            }

            return _kept.IndexOf(column);
        }

        public SqlValue[] Kept()
        {
            var kept = new SqlValue[_kept.Count];
            for (int i = 0; i < kept.Length; i++)
            {
                kept[i] = Step.Value(_kept[i]);
            }

            return kept;
        }
    }
}
