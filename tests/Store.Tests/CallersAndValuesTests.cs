using System.Globalization;
using System.Text;
using Shouldly;
using SwiftLedger.Core.Captures;
using SwiftLedger.Store.Captures;
using Xunit;

namespace SwiftLedger.Store.Tests;

/// <summary>Who sent statements, and which values they were called with, as the ledger keeps them.</summary>
public sealed class CallersAndValuesTests : ReadsCaptures
{
    private const int Hours = 30, PerHour = 24;

    [Fact]
    public void Callers_add_up_to_the_whole_and_what_is_apart_is_in_no_sum()
    {
        byte[] log = Sent(0, Hours);
        Read(log, "a.jsonl", "one").Aside.ShouldBe((Hours * PerHour / 4, Hours * PerHour / 4));
        Read(Sent(0, Hours, "two"), "b.jsonl", "two");
        List<long> sources = [.. _daybook.Sources(_book).Select(s => s.Id)];
        sources.Count.ShouldBe(2);
        Calls().ShouldBe(2 * Hours * PerHour / 2);

        IReadOnlyList<CallerRecord> callers = _daybook.Callers(sources);
        callers.Select(c => c.Caller.Kind).Distinct().Order().ShouldBe([LoadKind.Application, LoadKind.Own, LoadKind.Housekeeping]);
        foreach (Stretch stretch in new[] { Stretch.Hour, Stretch.Day })
        {
            long Sum(IEnumerable<long> rows) => Cells([.. rows], stretch).Sum(c => c.Cell.Calls);
            Sum(callers.Where(c => c.Caller.Kind == LoadKind.Application).Select(c => c.Id)).ShouldBe(Sum(sources));
            Sum(callers.Where(c => c.Caller.Application == "booking").Select(c => c.Id)).ShouldBe(2 * Hours * PerHour / 4);
        }

        // Durations are there too: percentiles of one application.
        Cells([.. callers.Where(c => c.Caller.Application == "booking").Select(c => c.Id)], Stretch.Day).ShouldAllBe(c => c.Cell.Durations.Count == c.Cell.Timed && c.Cell.Timed > 0);
    }

    [Fact]
    public void Reading_in_two_parts_keeps_the_same_callers_and_goes_on_with_the_values()
    {
        byte[] whole = Sent(0, Hours);
        int part = whole.Length / 2;
        Read(whole[..part], "a.jsonl");
        Read(whole, "a.jsonl").SkippedBytes.ShouldBeGreaterThan(0);
        List<long> sources = [.. _daybook.Sources(_book).Select(s => s.Id)];
        Cells([.. _daybook.Callers(sources).Select(c => c.Id)], Stretch.Hour).Sum(c => c.Cell.Calls).ShouldBe(Hours * PerHour);
        _daybook.Callers(sources).Count.ShouldBe(4);

        long pattern = _daybook.Patterns(_book).Single(p => p.Kind == "select" && p.Tables.Contains("hut")).Id;
        (int from, int to) = _daybook.Extent(_book)!.Value;
        List<TimedValues> hours = [.. new ValueStore(_ledger).Hours([pattern], sources, from, to)[pattern]];
        hours.Count.ShouldBe(Hours);
        double heavy = hours.Sum(h => h.Values.Values.Where(v => v.Key.Text == "3").Sum(v => v.Value.Calls)), all = hours.Sum(h => h.Values.All.Calls);
        all.ShouldBe(Hours * PerHour / 2, Hours * PerHour / 2 * 0.15);
        (heavy / all).ShouldBe(0.5, 0.1);
    }

    [Fact]
    public void Captures_with_callers_of_their_own_each_leave_a_source_with_a_bounded_number()
    {
        for (int file = 0; file < 3; file++)
        {
            byte[] log = Encoding.UTF8.GetBytes($"{{\"schema\":\"swift-ledger/capture/1\",\"file\":{file}}}\n" + string.Concat(Enumerable.Range(0, 150).Select(i =>
                $"{{\"at\":\"{Start.AddSeconds(i):yyyy-MM-ddTHH:mm:ss.fffZ}\",\"ms\":1,\"sql\":\"SELECT a FROM t\",\"app\":\"worker {file} {i}\"}}\n")));
            Read(log, $"{file}.jsonl");
        }

        IReadOnlyList<CallerRecord> callers = _daybook.Callers([.. _daybook.Sources(_book).Select(s => s.Id)]);
        callers.Count.ShouldBe(Caller.Most + 1);
        Cells([.. callers.Select(c => c.Id)], Stretch.Hour).Sum(c => c.Cell.Calls).ShouldBe(450);
        Cells([callers.Single(c => c.Caller.Application == Caller.Others).Id], Stretch.Hour).Sum(c => c.Cell.Calls).ShouldBe(450 - Caller.Most);
    }

    private IReadOnlyList<TimedCell> Cells(IReadOnlyList<long> rows, Stretch stretch)
    {
        (int from, int to) = _daybook.Extent(_book)!.Value;
        return _daybook.Timeline(rows, stretch, stretch.StartOf(from), to);
    }

    /// <summary>A quarter each of two applications, of this program, and of housekeeping.</summary>
    private static byte[] Sent(int first, int hours, string note = "") => Encoding.UTF8.GetBytes(string.Concat(
        new[] { $"{{\"schema\":\"swift-ledger/capture/1\",\"note\":\"{note}\"}}\n" }.Concat(Enumerable.Range(first * PerHour, hours * PerHour).Select(i =>
        {
            string app = (i % 4) switch { 0 => "booking", 1 => "board", 2 => "swift-ledger", _ => "night" };
            string sql = i % 4 == 3 ? "VACUUM" : $"SELECT name FROM hut WHERE id = {(i % 8 is 0 or 5 ? 3 : 1000 + i)}";
            return string.Create(CultureInfo.InvariantCulture, $"{{\"at\":\"{Start.AddSeconds(i * (3600 / PerHour)):yyyy-MM-ddTHH:mm:ss.fffZ}\",\"ms\":{1 + (i % 7)},\"sql\":\"{sql}\",\"app\":\"{app}\",\"db\":\"huts\",\"user\":\"o'neill\"}}\n");
        }))));
}
