using Microsoft.Data.Sqlite;
using Shouldly;
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
        _database.Run("PRAGMA journal_mode = WAL");
        string crashed = Path.Combine(_database.Folder, "crashed.db");
        using (SqliteConnection writer = _database.Connect())
        using (SqliteCommand command = writer.CreateCommand())
        {
            command.CommandText = "PRAGMA wal_autocheckpoint = 0; DELETE FROM parcel WHERE id > 7";
            command.ExecuteNonQuery();
            File.Copy(_database.Path, crashed);
            File.Copy(_database.Path + "-wal", crashed + "-wal");
        }

        byte[] log = File.ReadAllBytes(crashed + "-wal");
        SqliteSubject.Open(crashed, _database.Copies);
        File.ReadAllBytes(crashed + "-wal").ShouldBe(log);
        File.Exists(crashed + "-shm").ShouldBeFalse();
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

    private string Because(string path) => Should.Throw<SubjectException>(() => SqliteSubject.Open(path, _database.Copies)).Message;
}
