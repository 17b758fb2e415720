using System.Globalization;
using Shouldly;
using SwiftLedger.Core.Engines;
using SwiftLedger.Core.Likenesses;
using Xunit;

namespace SwiftLedger.Subjects.Tests.Postgres;

/// <summary>A likeness of a server's database, and the database that is made from it: counted on both by the server itself.</summary>
[Collection(PostgresFixture.Contents)]
public sealed class LikenessOnServerTests(PostgresFixture postgres, CopyContentsTests.Subject subject) : IClassFixture<CopyContentsTests.Subject>, IDisposable
{
    private readonly string _copies = Directory.CreateTempSubdirectory("swift-ledger-copies-").FullName;

    private string Address => $"postgresql://postgres@127.0.0.1:{postgres.Server.Port.ToString(CultureInfo.InvariantCulture)}/";

    private ISubjectEngine Server => SubjectEngines.OfSubject(Address);

    public void Dispose() => Directory.Delete(_copies, recursive: true);

    [Fact]
    public void No_word_of_a_row_stands_in_it_and_what_is_made_from_it_is_like_it_and_goes_again()
    {
        var named = new NamedValues();
        named.AddLiterals("SELECT 1 WHERE 'title 7' = 'lost'", KnownEngines.OfSubject(Address).Dialect);
        Likeness likeness = Server.ReadLikeness(Address + subject.Name, named, _ => { }, TestContext.Current.CancellationToken);
        string text = LikenessFile.Write(likeness);
        foreach (string query in new[] { "SELECT code FROM depot", "SELECT letter FROM parcel LIMIT 500", "SELECT reference FROM parcel", "SELECT title FROM parcel WHERE title <> 'title 7'", "SELECT 'word'", "SELECT stamp FROM parcel WHERE stamp NOT LIKE '%T00:00'" })
        {
            postgres.Sql(subject.Name, query).Split('\n', StringSplitOptions.RemoveEmptyEntries).Where(v => text.Contains($"\"{v}\"", StringComparison.Ordinal)).ShouldBeEmpty(query);
        }

        using (IMadeSubject made = Make(likeness))
        {
            made.Notes.ShouldAllBe(n => n.StartsWith("Left out: ALTER TABLE ONLY public.stay ADD CONSTRAINT", StringComparison.Ordinal) || n.Contains("more would meet their equals", StringComparison.Ordinal), string.Join('\n', made.Notes));
            string database = made.Address.Split('/')[^1];
            foreach (string query in new[]
            {
                "SELECT count(*) FROM parcel", "SELECT count(*) FROM depot", "SELECT count(*) FROM stop", "SELECT count(*) FROM reading", "SELECT count(*) FROM reading_late", "SELECT count(*) FROM parcel WHERE state = 'lost'", "SELECT count(*) FROM parcel WHERE state = 'sent'",
                "SELECT count(*) FROM parcel WHERE scanned_at IS NULL", "SELECT count(*) FROM parcel WHERE sent_on >= '2026-05-01'", "SELECT count(DISTINCT title) FROM parcel", "SELECT count(DISTINCT reference) FROM parcel", "SELECT count(*) FROM parcel WHERE weight < 25",
                "SELECT count(*) FROM parcel JOIN depot ON depot.id = depot_id", "SELECT count(*) FROM parcel WHERE stamp >= '2026-06-01'", "SELECT avg(length(code)) FROM depot", "SELECT count(*) FROM \"odd \"\"one\"\"\".\"Name, of 'all'\"",
            })
            {
                double there = Number(subject.Name, query), here = Number(database, query);
                here.ShouldBeInRange((there * 0.8) - 15, (there * 1.2) + 15, query);
            }

            // What is declared is there, and what is checked was checked: rows come in by nobody's trigger.
            const string declared = "SELECT string_agg(conname::text || contype::text, ' ' ORDER BY conname) FROM pg_constraint WHERE contype IN ('p', 'u', 'f', 'c') AND connamespace = 'public'::regnamespace";
            postgres.Sql(database, declared).ShouldBe(postgres.Sql(subject.Name, declared));
            postgres.Sql(database, declared).ShouldContain("stop_parcel_id_fkeyf");
            const string indexes = "SELECT string_agg(indexname, ' ' ORDER BY indexname) FROM pg_indexes WHERE schemaname = 'public' AND indexname NOT LIKE 'stay%'";
            postgres.Sql(database, indexes).ShouldBe(postgres.Sql(subject.Name, indexes));
            postgres.Sql(database, "SELECT count(*) FROM pg_stats WHERE tablename = 'parcel'").Trim().ShouldBe("12");

            // It belongs to nobody who may do more than that.
            postgres.Sql(database, "SELECT DISTINCT rolsuper FROM pg_class c JOIN pg_roles r ON r.oid = c.relowner WHERE c.relnamespace = 'public'::regnamespace").Trim().ShouldBe("f");
        }

        Left().ShouldBe("0");
    }

    [Fact]
    public void A_schema_that_reaches_beyond_its_database_is_refused_by_the_server_and_leaves_nothing()
    {
        Likeness likeness = Server.ReadLikeness(Address + subject.Name, new(), _ => { }, TestContext.Current.CancellationToken);
        string canary = Path.Combine(postgres.Server.Data, $"escaped-{Guid.NewGuid():n}");
        foreach (string hostile in new[]
        {
            $"COPY (SELECT 1) TO PROGRAM 'touch {canary}'", $"COPY (SELECT 1) TO '{canary}'", "CREATE ROLE intruder SUPERUSER LOGIN", "ALTER ROLE postgres PASSWORD 'x'", "ALTER SYSTEM SET work_mem = '1GB'", "RESET SESSION AUTHORIZATION; SELECT 1",
            $"DO $$ BEGIN EXECUTE 'COPY (SELECT 1) TO PROGRAM ''touch {canary}'''; END $$", "SET ROLE postgres", "CREATE DATABASE intruders",
        })
        {
            Should.Throw<LikenessException>(() => Make(likeness with { Schema = [.. likeness.Schema, hostile] }), hostile);
            Left().ShouldBe("0", hostile);
        }

        File.Exists(canary).ShouldBeFalse();
        postgres.Sql("postgres", "SELECT count(*) FROM pg_roles WHERE rolname = 'intruder'").Trim().ShouldBe("0");

        // What runs with the connection's rights is made by us: a name, and nothing behind it. An extension by which programs run is none that a server trusts.
        using IMadeSubject made = Make(likeness with { Schema = ["CREATE EXTENSION IF NOT EXISTS file_fdw WITH SCHEMA public", "CREATE SCHEMA fine", .. likeness.Schema.Where(s => !s.StartsWith("CREATE SCHEMA fine", StringComparison.Ordinal))] });
        made.Notes.ShouldContain(n => n.StartsWith("The extension file_fdw is left out", StringComparison.Ordinal));
        Should.Throw<LikenessException>(() => Make(likeness with { Schema = ["CREATE SCHEMA x; ALTER ROLE postgres PASSWORD 'x'"] }));
    }

    [Fact]
    public void Statistics_of_another_schema_are_told_by_name_and_what_cannot_be_made_leaves_nothing()
    {
        Likeness likeness = Server.ReadLikeness(Address + subject.Name, new(), _ => { }, TestContext.Current.CancellationToken);
        Should.Throw<LikenessException>(() => Make(likeness with { Tables = [.. likeness.Tables, new("public.gone", 5, [])] })).Message.ShouldBe("The statistics tell of a table public.gone, and the schema beside them makes none.");
        Left().ShouldBe("0");
        using IMadeSubject made = Make(likeness with { Settings = new Dictionary<string, string> { ["encoding"] = "UTF8", ["collate"] = "xx_XX", ["ctype"] = "xx_XX" } });
        made.Notes.ShouldContain(n => n.StartsWith("This server has no locale xx_XX", StringComparison.Ordinal));
    }

    private IMadeSubject Make(Likeness likeness)
    {
        string folder = Directory.CreateDirectory(Path.Combine(_copies, Guid.NewGuid().ToString("n"))).FullName;
        return Server.Make(LikenessFile.Read(LikenessFile.Write(likeness)), Address + "postgres", folder, false, _ => { }, TestContext.Current.CancellationToken);
    }

    private string Left() => postgres.Sql("postgres", "SELECT (SELECT count(*) FROM pg_database WHERE datname LIKE 'swift\\_ledger\\_%') + (SELECT count(*) FROM pg_roles WHERE rolname LIKE 'swift\\_ledger\\_%')").Trim();

    private double Number(string database, string query) => double.Parse(postgres.Sql(database, query).Trim(), CultureInfo.InvariantCulture);
}
