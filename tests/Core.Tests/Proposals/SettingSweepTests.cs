using Shouldly;
using SwiftLedger.Core.Engines;
using SwiftLedger.Core.Plans;
using SwiftLedger.Core.Proposals;
using SwiftLedger.Testing;
using Xunit;

namespace SwiftLedger.Core.Tests.Proposals;

public class SettingSweepTests
{
    private static readonly SettingSweep Sweep = new("memory", [new("1", 1_000), new("2", 2_000), new("4", 4_000)], SweepBy.Counter, "tempBlocks", "", v => $"SET memory = {v};", "");

    [Theory]
    [InlineData(100, 0, 0, 0, "1")] // more is not needed
    [InlineData(100, 80, 40, 40, "2")]
    [InlineData(100, 80, 75, 40, "4")]
    [InlineData(100, 90, 90, 90, null)] // a tenth is not enough
    [InlineData(100, 89, 81, 81, "1")]
    [InlineData(100, 120, 130, 140, null)] // it may also get worse
    [InlineData(100, 120, 50, 140, "2")]
    [InlineData(0, 0, 0, 0, null)]
    public void The_smallest_step_is_worth_it_beyond_which_no_tenth_more_is_spared(double now, double one, double two, double four, string? worth) => Sweep.Worth(now, [one, two, four])?.Value.ShouldBe(worth);

    [Fact]
    public void A_step_that_was_not_counted_is_never_proposed()
    {
        Sweep.Worth(100, [null, null, null]).ShouldBeNull();
        Sweep.Worth(100, [null, 50, null])!.Value.ShouldBe("2");
    }

    [Theory]
    [InlineData(10, "1")]
    [InlineData(1_000, "1")]
    [InlineData(1_001, "2")]
    [InlineData(9_000, "4")]
    [InlineData(null, "4")]
    public void The_step_that_holds_the_database_is_taken_or_the_last_one(int? bytes, string step) => Sweep.Holding(bytes).Value.ShouldBe(step);

    [Fact]
    public void The_size_of_a_database_is_that_of_its_tables_and_indexes_where_all_are_known()
    {
        CatalogTable table = new("t", [], 1, 10, null, [new("i", ["a"], false, false, "created", 5, [])]);
        SettingSweep.SizeOf(new(4_096, [table, table with { Pages = 1, Indexes = [] }])).ShouldBe(16 * 4_096);
        SettingSweep.SizeOf(new(4_096, [table with { Pages = null }])).ShouldBeNull();
        SettingSweep.SizeOf(new(4_096, [])).ShouldBe(0);
    }

    /// <summary>SQLite documentation, PRAGMA cache_size: a negative value is KiB; PostgreSQL manual, 20.1: units of memory are multiples of 1024.</summary>
    [Fact]
    public void What_a_step_says_is_what_it_stands_for()
    {
        foreach (SettingSweep sweep in KnownEngines.All.SelectMany(e => e.Settings))
        {
            sweep.Steps.Select(s => s.Bytes ?? 0).ShouldBeInOrder();
            foreach (SettingStep step in sweep.Steps.Where(s => s.Bytes is not null))
            {
                long said = step.Value switch
                {
                    ['-', .. var kibibytes] => long.Parse(kibibytes, System.Globalization.CultureInfo.InvariantCulture) * 1_024,
                    [.. var mebibytes, 'M', 'B'] => long.Parse(mebibytes, System.Globalization.CultureInfo.InvariantCulture) << 20,
                    [.. var gibibytes, 'G', 'B'] => long.Parse(gibibytes, System.Globalization.CultureInfo.InvariantCulture) << 30,
                    var bytes => long.Parse(bytes, System.Globalization.CultureInfo.InvariantCulture),
                };
                step.Bytes.ShouldBe(said, sweep.Name);
            }

            sweep.Set(sweep.Steps[0].Value).ShouldContain(sweep.Name);
            (sweep.By == SweepBy.Counter).ShouldBe(sweep.Counter is not null);
        }

        Dialects.SqliteEngine.Settings.ShouldAllBe(s => s.By == SweepBy.Size);
        Dialects.PostgresEngine.Settings.ShouldContain(s => s.Counter == "tempBlocks");
        ProposalKinds.Usual.ShouldNotContain(ProposalKind.Setting);
    }
}
