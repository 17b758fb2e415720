using Shouldly;
using SwiftLedger.Core.Measuring;
using SwiftLedger.Core.Proposals;
using Xunit;

namespace SwiftLedger.Core.Tests.Proposals;

/// <summary>The chosen set against all sets, where there are few enough to try: each statement takes the best index that is there, and each index costs the writes.</summary>
public class SetSearchTests
{
    private const int Cases = 1_000;

    [Fact]
    public async Task In_nine_of_ten_small_cases_it_is_the_best_of_all_sets_and_never_far_from_it()
    {
        int best = 0;
        double furthest = 1;
        for (int i = 0; i < Cases; i++)
        {
            var random = new SplitMix((ulong)i);
            Func<IReadOnlyCollection<object>, double> work = Case(ref random, out object[] indexes);
            double least = Enumerable.Range(0, 1 << indexes.Length).Min(set => work([.. indexes.Where((_, n) => (set >> n & 1) == 1)]));
            double ratio = work(await ChosenAsync(indexes, work)) / least;
            best += ratio < 1 + 1e-9 ? 1 : 0;
            furthest = Math.Max(furthest, ratio);
        }

        // Seen: 979 of 1,000 and 1.2.
        best.ShouldBeGreaterThan(Cases * 95 / 100);
        furthest.ShouldBeLessThan(1.5);
    }

    [Fact]
    public async Task What_others_make_needless_goes_again_and_what_adds_nothing_never_comes()
    {
        string[] all = ["wide", "left", "right", "dear"];
        double Work(IReadOnlyCollection<string> set) => (set.Contains("left") ? 1 : set.Contains("wide") ? 4 : 10) + (set.Contains("right") ? 1 : set.Contains("wide") ? 4 : 10) + (set.Contains("wide") ? 1 : 0) + (set.Contains("dear") ? 30 : 0);
        double best = Work([]);
        var search = new SetSearch<string>(
            (set, one) => Task.FromResult(Took([.. set, one])), (others, one) => Task.FromResult(Took(others)));
        await search.RunAsync(all);
        search.Set.ShouldBe(["left", "right"]);
        search.Needless.ShouldBe(["wide"]);

        bool Took(IReadOnlyCollection<string> set)
        {
            bool better = Work(set) <= best;
            best = better ? Work(set) : best;
            return better;
        }
    }

    private static async Task<IReadOnlyList<object>> ChosenAsync(object[] indexes, Func<IReadOnlyCollection<object>, double> work)
    {
        double best = work([]);
        double nothing = best;
        var search = new SetSearch<object>((set, one) => Task.FromResult(Took([.. set, one])), (others, _) => Task.FromResult(Took(others)));
        await search.RunAsync(indexes.Where(i => work([i]) < nothing).OrderBy(i => work([i])));
        return search.Set;

        bool Took(IReadOnlyCollection<object> set)
        {
            bool better = work(set) <= best;
            best = better ? work(set) : best;
            return better;
        }
    }

    private static Func<IReadOnlyCollection<object>, double> Case(ref SplitMix random, out object[] indexes)
    {
        object[] all = indexes = [.. Enumerable.Range(0, 3 + random.Below(5)).Select(_ => new object())];
        int statements = 3 + random.Below(6);
        double[] whole = new double[statements], calls = new double[statements];
        double[,] with = new double[statements, all.Length];
        double[] upkeep = new double[all.Length];
        for (int s = 0; s < statements; s++)
        {
            (whole[s], calls[s]) = (Math.Pow(10, 1 + (3 * random.Unit())), Math.Pow(10, 2 * random.Unit()));
            for (int i = 0; i < all.Length; i++)
            {
                with[s, i] = random.Below(4) == 0 ? whole[s] * (0.01 + (0.9 * random.Unit())) : whole[s];
            }
        }

        for (int i = 0; i < all.Length; i++)
        {
            upkeep[i] = 5 * Math.Pow(10, 3 * random.Unit());
        }

        return set =>
        {
            double sum = 0;
            for (int i = 0; i < all.Length; i++)
            {
                sum += set.Contains(all[i]) ? upkeep[i] : 0;
            }

            for (int s = 0; s < statements; s++)
            {
                double least = whole[s];
                for (int i = 0; i < all.Length; i++)
                {
                    least = set.Contains(all[i]) ? Math.Min(least, with[s, i]) : least;
                }

                sum += calls[s] * least;
            }

            return sum;
        };
    }
}
