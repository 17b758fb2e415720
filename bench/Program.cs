using SwiftLedger.Benchmarks;

// Figures are printed beside their reference from the same run: machines are noisy, ratios less so.
var all = new (string Name, string What, Func<Task> Run)[]
{
    ("decision", "what the decision procedure buys, by simulation and on recorded noise", DecisionBench.RunAsync),
    ("sampling", "elapsed time that a sample reports against a bare loop", SamplingBench.RunAsync),
    ("rehearsal", "what the sender costs, how punctual it is, and its verdicts on simulated loads", RehearsalBench.RunAsync),
    ("ledger", "verifying entries, the words for promises on simulated spans, a full book's front page, and asking for holds", LedgerBench.RunAsync),
    ("lexer", "lexing with hashing against a plain scan of the same bytes", LexerBench.RunAsync),
    ("proposals", "reading statements into trees and writing them out again", ProposalsBench.RunAsync),
    ("gate", "check of the demo and of 1,000 statements, and how soon the program tells its version", GateBench.RunAsync),
    ("makelog", "writes made logs into the current folder, for trying things out", CaptureBench.WriteAsync),
    ("capture", "reading captures against a plain scan of the same file", CaptureBench.RunAsync),
    ("daybook", "what the daybook asks for, over 14 days, 2,000 patterns and 4 sources", DaybookBench.RunAsync),
    ("plans", "aligning two plans", PlanBench.RunAsync),
    ("counting", "executions that count what each operator does, against plain ones", CountingBench.RunAsync),
    ("planview", "the plans of a line with 500 operators in Chromium", PlanViewBench.RunAsync),
    ("postgres", "timing and copying on a PostgreSQL server against a bare driver", PostgresBench.RunAsync),
    ("server", "server start, the demo book's page, memory", ServerBench.RunAsync),
    ("fuzz", "texts that are nearly right against all that reads texts from outside", FuzzBench.RunAsync),
    ("trial", "demo data and a whole demo trial", TrialBench.RunAsync),
};
string[] wanted = args.Length > 0 ? args : all.Select(a => a.Name).Where(n => n is not ("fuzz" or "makelog")).ToArray();
if (wanted.FirstOrDefault(w => all.All(a => a.Name != w)) is { } unknown)
{
    Console.Error.WriteLine($"There is no benchmark '{unknown}'. There are: {string.Join(", ", all.Select(a => a.Name))}.");
    return 2;
}

foreach ((string name, string what, Func<Task> run) in all.Where(a => wanted.Contains(a.Name)))
{
    Console.WriteLine($"== {name}: {what}");
    await run();
    Console.WriteLine();
}

return 0;
