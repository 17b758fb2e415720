using System.Reflection;
using Dapper;
using Microsoft.Data.Sqlite;
using Shouldly;
using SwiftLedger.Core.Reports;
using SwiftLedger.Core.Trials;
using Xunit;

namespace SwiftLedger.Store.Tests;

/// <summary>What was decided is kept as it was decided.</summary>
public sealed class SettlementTests : IDisposable
{
    private readonly string _folder = Directory.CreateTempSubdirectory("swift-ledger-test-").FullName;
    private readonly LedgerDatabase _ledger;
    private readonly TrialStore _trials;
    private readonly long _trial;

    public SettlementTests()
    {
        _ledger = new(Path.Combine(_folder, "ledger.db"));
        _trials = new(_ledger, TimeProvider.System);
        _trial = _trials.Add(new BookStore(_ledger, TimeProvider.System).Open("x", "x").Id, null, "Trial", "-- name: a\nSELECT 1", "", new()).Id;
    }

    public void Dispose()
    {
        SqliteConnection.ClearAllPools();
        Directory.Delete(_folder, recursive: true);
    }

    [Fact]
    public void What_was_decided_first_stands_when_later_rules_decide_otherwise()
    {
        Decision then = new(Verdict.Regressed, Basis.Time, new Confirmed(), [new WorkDisagrees(0.5)]), now = new(Verdict.Unsettled, Basis.Time, new TooNoisy(0.4, 200), []);
        _trials.End(_trial, TrialState.Finished, null, Settled(1, "1 of 1 regressed", then));
        _trials.Settle(_trial, Settled(2, "0 of 1 regressed, 1 unsettled", now));

        _trials.Find(_trial)!.Headline.ShouldBe("1 of 1 regressed");
        IReadOnlyList<KeptSettlement> kept = _trials.Settlements(_trial);
        kept.Select(k => (k.Number, k.Decided.Rules, k.Decided.Headline)).ShouldBe([(1, 1, "1 of 1 regressed"), (2, 2, "0 of 1 regressed, 1 unsettled")]);
        TrialAccount account = _trials.Load(_trials.Find(_trial)!).As(kept[0].Decided);
        account.Lines[0].Decision!.Verdict.ShouldBe(Verdict.Regressed, "the evidence, which has no block, would say otherwise");
        account.Lines[0].Decision!.Notices.ShouldBe(then.Notices);
    }

    // Who presses again and again gets the same answer once, and beside it only what other rules say.
    [Fact]
    public void The_same_rules_are_kept_once_beside_the_first_decision()
    {
        Decision then = new(Verdict.Regressed, Basis.Time, null, []);
        _trials.End(_trial, TrialState.Finished, null, Settled(1, "first", then));
        foreach (int rules in new[] { 1, 1, 2, 2, 1 })
        {
            _trials.Settle(_trial, Settled(rules, $"anew by {rules}", then));
        }

        _trials.Settlements(_trial).Select(k => (k.Number, k.Decided.Headline)).ShouldBe([(1, "first"), (2, "anew by 1"), (3, "anew by 2")]);
    }

    [Fact]
    public void A_bill_comes_back_as_it_was_added_up()
    {
        var bill = new Bill(new(10, 20), new(9, 11), new(18, 22), new(8, 12), new(1, 2), new(3, 4), [new(1, "a", "1", 5, new(10, 20), 10)], 10, [new(2, "b", "1", "failed")]);
        _trials.End(_trial, TrialState.Finished, null, new(1, "h", bill, new Dictionary<int, Decision>()));
        Bill read = _trials.Settlements(_trial)[0].Decided.Bill!;
        read.Items.ShouldBe(bill.Items);
        read.LeftOut.ShouldBe(bill.LeftOut);
        (read with { Items = bill.Items, LeftOut = bill.LeftOut }).ShouldBe(bill);
    }

    public static TheoryData<Type> Codes => [.. typeof(Reason).Assembly.GetTypes().Where(t => !t.IsAbstract && (t.IsSubclassOf(typeof(Reason)) || t.IsSubclassOf(typeof(Notice))))];

    [Theory]
    [MemberData(nameof(Codes))]
    public void Every_code_has_words_and_comes_back_with_its_numbers(Type code)
    {
        ConstructorInfo made = code.GetConstructors().OrderByDescending(c => c.GetParameters().Length).First();
        object value = made.Invoke([.. made.GetParameters().Select((p, i) => Sample(p.ParameterType, i))]);
        Decision decision = value is Reason reason ? new(Verdict.Unsettled, Basis.Time, reason, []) : new(Verdict.Level, Basis.Time, null, [(Notice)value]);
        _trials.End(_trial, TrialState.Finished, null, Settled(1, "h", decision));
        Decision read = _trials.Settlements(_trial)[0].Decided.Lines[1];
        System.Text.Json.JsonSerializer.Serialize(read).ShouldBe(System.Text.Json.JsonSerializer.Serialize(decision));
        (read.Message() ?? read.Notes()[0]).ShouldNotBeNullOrWhiteSpace();
    }

    [Fact]
    public void A_killed_trial_with_lines_that_ended_waits_for_its_decision_and_one_without_does_not()
    {
        _trials.Start(_trial);
        _trials.InterruptRunning("gone");
        _trials.Undecided().ShouldBeEmpty();
        _trials.Keep(_trial, new LineEnded(1, LineEnd.TimeSpent), session: 1);
        _trials.Undecided().ShouldHaveSingleItem().Id.ShouldBe(_trial);
        _trials.Settle(_trial, Settlement.Of(_trials.Load(_trials.Find(_trial)!).Settled())!);
        _trials.Undecided().ShouldBeEmpty();
        _trials.Settlements(_trial)[0].Decided.Lines[1].Reason.ShouldBe(new NoBlocks());
    }

    [Fact]
    public void A_ledger_from_before_decisions_were_data_tells_what_it_told()
    {
        string path = Path.Combine(_folder, "old.db");
        OldLedger.Write(path, until: 10);
        using (var old = new SqliteConnection($"Data Source={path};Pooling=False"))
        {
            old.Open();
            old.Execute("""
                INSERT INTO book (id, name, subject, workload, created_at) VALUES (1, 'Huts', 'x', '', '2026-11-20');
                INSERT INTO trial (id, book_id, title, workload, change_text, options, state, created_at, finished_at, headline)
                VALUES (1, 1, 'T', '-- name: a
                SELECT 1;
                -- name: b
                SELECT 2', '', '{}', 'finished', '2026-11-20', '2026-11-21', '1 of 2 regressed, 1 level'),
                       (2, 1, 'U', '', '', '{}', 'interrupted', '2026-11-22', '2026-11-22', NULL);
                INSERT INTO line (trial_id, number, ended, verdict, basis, message)
                VALUES (1, 1, '{"line":1,"end":"looked"}', 'regressed', 'time', 'Confirmed, it said.'), (1, 2, NULL, 'level', 'time', NULL);
                """);
        }

        var trials = new TrialStore(new(path), TimeProvider.System);
        KeptSettlement kept = trials.Settlements(1).ShouldHaveSingleItem();
        (kept.DecidedAt, kept.Decided.Rules, kept.Decided.Headline, kept.Decided.Bill).ShouldBe(("2026-11-21", 0, "1 of 2 regressed, 1 level", null));
        TrialAccount account = trials.Load(trials.Find(1)!).As(kept.Decided);
        account.Lines.Select(l => (l.Decision!.Verdict, l.Decision.Message())).ShouldBe([(Verdict.Regressed, "Confirmed, it said."), (Verdict.Level, null)]);
        trials.Find(1)!.Headline.ShouldBe("1 of 2 regressed, 1 level");
        trials.Settlements(2).ShouldBeEmpty();
    }

    private static Settlement Settled(int rules, string headline, Decision decision) => new(rules, headline, null, new Dictionary<int, Decision> { [1] = decision });

    private static object Sample(Type type, int place) => type switch
    {
        _ when type == typeof(SideFailure) => new SideFailure("no such table: t", TimeLimit: true),
        _ when type == typeof(string) => "a word",
        _ when type == typeof(bool) => true,
        _ when type == typeof(int) => 3 + place,
        _ when type == typeof(long?) || type == typeof(long) => 4L + place,
        _ when type.IsEnum => Enum.GetValues(type).GetValue(1)!,
        _ => 1.5 + place,
    };
}
