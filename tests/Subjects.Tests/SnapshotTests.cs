using Microsoft.Data.Sqlite;
using Shouldly;
using SwiftLedger.Core.Engines.Sqlite;
using SwiftLedger.Core.Sql;
using SwiftLedger.Core.Trials;
using SwiftLedger.Subjects.Sqlite;
using Xunit;

namespace SwiftLedger.Subjects.Tests;

public sealed class SnapshotTests : IDisposable
{
    private readonly TestDatabase _database = new();

    public void Dispose() => _database.Dispose();

    [Theory]
    [InlineData("DELETE")]
    [InlineData("WAL")]
    public async Task The_subject_keeps_its_bytes_and_gets_no_neighbours(string mode)
    {
        _database.Run($"PRAGMA journal_mode = {mode}");
        byte[] before = _database.Hash;
        string[] files = Directory.GetFiles(_database.Folder);
        await using (SqliteSubject subject = SqliteSubject.Open(_database.Path, _database.Copies))
        await using (ISubjectCopy after = await subject.CopyAsync(Side.After, default))
        {
            await after.ApplyAsync(new(1, "DELETE FROM parcel", default, default), default);
            await after.FinishChangeAsync(default);
            (await after.InspectAsync(new("SELECT * FROM parcel", []), TimeSpan.FromSeconds(5), default)).Rows.ShouldBe(0);
        }

        _database.Hash.ShouldBe(before);
        Directory.GetFiles(_database.Folder).ShouldBe(files, ignoreOrder: true);
    }

    [Fact]
    public async Task Both_sides_come_from_one_snapshot_although_the_subject_moves_on()
    {
        await using SqliteSubject subject = SqliteSubject.Open(_database.Path, _database.Copies);
        await using ISubjectCopy before = await subject.CopyAsync(Side.Before, default);
        _database.Run("DELETE FROM parcel WHERE id > 10");
        await using ISubjectCopy after = await subject.CopyAsync(Side.After, default);
        (await Rows(before)).ShouldBe(5_000);
        (await Rows(after)).ShouldBe(5_000);
    }

    [Fact]
    public async Task What_an_open_writer_has_committed_to_its_log_is_in_the_snapshot()
    {
        _database.Run("PRAGMA journal_mode = WAL");
        using SqliteConnection writer = _database.Connect();
        using SqliteCommand command = writer.CreateCommand();
        command.CommandText = "PRAGMA wal_autocheckpoint = 0; DELETE FROM parcel WHERE id > 100; BEGIN IMMEDIATE; DELETE FROM parcel";
        command.ExecuteNonQuery();
        await using SqliteSubject subject = SqliteSubject.Open(_database.Path, _database.Copies);
        await using ISubjectCopy copy = await subject.CopyAsync(Side.Before, default);
        (await Rows(copy)).ShouldBe(100);
    }

    [Fact]
    public void A_crashed_writers_log_is_recovered_in_the_copy_only()
    {
        string crashed = Crashed("DELETE FROM parcel WHERE id > 7");
        byte[] log = File.ReadAllBytes(crashed + "-wal");
        SqliteSubject.Open(crashed, _database.Copies);
        File.ReadAllBytes(crashed + "-wal").ShouldBe(log);
        File.Exists(crashed + "-shm").ShouldBeFalse();
    }

    [Theory]
    [InlineData("DELETE", false)]
    [InlineData("DELETE", true)]
    [InlineData("WAL", false)]
    [InlineData("WAL", true)]
    public void A_look_at_the_schema_sees_what_is_committed_and_leaves_nothing_behind(string mode, bool inUse)
    {
        _database.Run($"PRAGMA journal_mode = {mode}");
        using SqliteConnection? user = inUse ? _database.Connect() : null;
        if (user is not null)
        {
            using SqliteCommand command = user.CreateCommand();
            command.CommandText = "CREATE INDEX parcel_seen ON parcel(note)";
            command.ExecuteNonQuery();
        }

        byte[] before = _database.Hash;
        string[] files = Directory.GetFiles(_database.Folder);
        IReadOnlyList<SchemaObject> seen = SubjectEngines.Of(SqliteEngine.Engine).ReadSchema(_database.Path);
        (seen.Any(o => o is { Kind: "table", Name: "parcel" }), seen.Any(o => o is { Kind: "index", Name: "parcel_seen" })).ShouldBe((true, inUse));
        _database.Hash.ShouldBe(before);
        Directory.GetFiles(_database.Folder).ShouldBe(files, ignoreOrder: true);
    }

    [Fact]
    public void A_look_at_a_file_that_a_crash_left_says_so_instead_of_recovering_it()
    {
        string crashed = Crashed("CREATE INDEX parcel_lost ON parcel(note)");
        ISubjectEngine engine = SubjectEngines.Of(SqliteEngine.Engine);
        Should.Throw<SubjectException>(() => engine.ReadSchema(crashed)).Message.ShouldEndWith("was left with a log by a crash: it is looked into once its application has opened it again.");
        File.Exists(crashed + "-shm").ShouldBeFalse();

        // Half a schema is none: a file that somebody holds for himself is not looked into, rather than found empty.
        _database.Run("PRAGMA journal_mode = DELETE");
        using (SqliteConnection holder = _database.Connect())
        using (SqliteCommand command = holder.CreateCommand())
        {
            command.CommandText = "BEGIN EXCLUSIVE";
            command.ExecuteNonQuery();
            Should.Throw<EngineException>(() => engine.ReadSchema(_database.Path)).Message.ShouldContain("locked");
        }

        engine.ReadSchema(_database.Path).ShouldNotBeEmpty();
        File.WriteAllBytes(crashed + "-journal", [1]);
        Should.Throw<SubjectException>(() => engine.ReadSchema(crashed)).Message.ShouldContain("is being written to");
        Should.Throw<SubjectException>(() => engine.ReadSchema(Path.Combine(_database.Folder, "none.db"))).Message.ShouldStartWith("There is no file");
    }

    [Fact]
    public void A_subject_that_cannot_be_used_is_told_why()
    {
        string text = Write("notes.db", "this is a text that is longer than one hundred bytes, so that it has a header's worth of bytes to look at, and more");
        string empty = Write("empty.db", "");
        Because(text).ShouldContain("not a SQLite database, or it is encrypted");
        Because(empty).ShouldContain("is empty");
        Because(_database.Folder).ShouldContain("is a folder");
        Because(Path.Combine(_database.Folder, "missing.db")).ShouldContain("There is no file");
        Because("").ShouldContain("No path");
    }

    [Fact]
    public void A_damaged_file_is_refused()
    {
        byte[] bytes = File.ReadAllBytes(_database.Path);
        Array.Fill<byte>(bytes, 0xAA, 4096 * 3, 4096 * 8);
        File.WriteAllBytes(_database.Path, bytes);
        Because(_database.Path).ShouldContain("damaged");
    }

    [Fact]
    public void Too_little_disk_is_told_before_anything_is_copied()
    {
        SubjectException e = Should.Throw<SubjectException>(() => SqliteSubject.Open(_database.Path, _database.Copies, null, _ => 1 << 20));
        e.Message.ShouldContain("Too little disk");
        e.BadInput.ShouldBeFalse();
        Directory.GetFiles(_database.Copies).ShouldBeEmpty();
    }

    private static async Task<long?> Rows(ISubjectCopy copy) =>
        (await copy.InspectAsync(new("SELECT * FROM parcel", []), TimeSpan.FromSeconds(5), default)).Rows;

    private string Write(string name, string text)
    {
        string path = Path.Combine(_database.Folder, name);
        File.WriteAllText(path, text);
        return path;
    }

    /// <summary>A file and its log as a writer left them that died after it committed.</summary>
    private string Crashed(string sql)
    {
        _database.Run("PRAGMA journal_mode = WAL");
        string crashed = Path.Combine(_database.Folder, "crashed.db");
        using SqliteConnection writer = _database.Connect();
        using SqliteCommand command = writer.CreateCommand();
        command.CommandText = "PRAGMA wal_autocheckpoint = 0; " + sql;
        command.ExecuteNonQuery();
        File.Copy(_database.Path, crashed);
        File.Copy(_database.Path + "-wal", crashed + "-wal");
        return crashed;
    }

    private string Because(string path) => Should.Throw<SubjectException>(() => SqliteSubject.Open(path, _database.Copies)).Message;
}
