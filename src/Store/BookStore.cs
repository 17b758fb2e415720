using Dapper;
using Microsoft.Data.Sqlite;
using SwiftLedger.Core.Budgets;

namespace SwiftLedger.Store;

/// <summary>Books and their changes.</summary>
public sealed class BookStore(LedgerDatabase ledger, TimeProvider clock)
{
    private const string ChangeColumns = "id AS Id, book_id AS BookId, title AS Title, note AS Note, text AS Text";
    private const string BookColumns = "id AS Id, name AS Name, subject AS Subject, workload AS Workload, house_rules AS HouseRules, created_at AS CreatedAt";

    public IReadOnlyList<BookRecord> All()
    {
        using SqliteConnection connection = ledger.Open();
        return connection.Query<BookRecord>($"SELECT {BookColumns} FROM book ORDER BY id").AsList();
    }

    public BookRecord? Find(long id)
    {
        using SqliteConnection connection = ledger.Open();
        return connection.QuerySingleOrDefault<BookRecord>($"SELECT {BookColumns} FROM book WHERE id = @id", new { id });
    }

    /// <summary>The book of a subject, opened if there is none yet; a book of that name that has no subject gets this one.</summary>
    public BookRecord Open(string subject, string name)
    {
        using SqliteConnection connection = ledger.Open();
        connection.Execute("""
            UPDATE book SET subject = @subject
            WHERE id = (SELECT min(id) FROM book WHERE name = @name AND subject IS NULL) AND NOT EXISTS (SELECT 1 FROM book WHERE subject = @subject)
            """, new { subject, name });
        connection.Execute("""
            INSERT INTO book (name, subject, workload, created_at) VALUES (@name, @subject, '', @now)
            ON CONFLICT (subject) DO NOTHING
            """, new { name, subject, now = clock.Now() });
        return connection.QuerySingle<BookRecord>($"SELECT {BookColumns} FROM book WHERE subject = @subject", new { subject });
    }

    /// <summary>The book of a name, opened without a subject if there is none yet: one may begin with what was captured.</summary>
    public BookRecord OpenByName(string name)
    {
        using SqliteConnection connection = ledger.Open();
        using SqliteTransaction transaction = connection.BeginTransaction();
        connection.Execute("""
            INSERT INTO book (name, subject, workload, created_at)
            SELECT @name, NULL, '', @now WHERE NOT EXISTS (SELECT 1 FROM book WHERE name = @name)
            """, new { name, now = clock.Now() }, transaction);
        BookRecord book = connection.QueryFirst<BookRecord>($"SELECT {BookColumns} FROM book WHERE name = @name ORDER BY id", new { name }, transaction);
        transaction.Commit();
        return book;
    }

    private const int MostVersions = 100;

    /// <summary>Gives a book another workload; what it was stays among its versions.</summary>
    /// <param name="why">What brought it, in a few words.</param>
    public void KeepWorkload(long id, string workload, string why)
    {
        using SqliteConnection connection = ledger.Open();
        using SqliteTransaction transaction = connection.BeginTransaction();
        KeepWorkload(connection, transaction, id, workload, why);
        transaction.Commit();
    }

    private void KeepWorkload(SqliteConnection connection, SqliteTransaction transaction, long id, string workload, string why)
    {
        string now = clock.Now();
        (string Text, string CreatedAt) before = connection.QueryFirstOrDefault<(string, string)>("SELECT workload, created_at FROM book WHERE id = @id", new { id }, transaction);
        if (before.Text == workload)
        {
            return;
        }

        // A ledger of before versions were kept has one that is not among them.
        connection.Execute("""
            INSERT INTO workload_version (book_id, kept_at, why, text)
            SELECT @id, @at, 'as it was', @text WHERE @text <> '' AND NOT EXISTS (SELECT 1 FROM workload_version WHERE book_id = @id)
            """, new { id, at = before.CreatedAt, text = before.Text }, transaction);
        connection.Execute("INSERT INTO workload_version (book_id, kept_at, why, text) VALUES (@id, @now, @why, @workload)", new { id, now, why, workload }, transaction);
        connection.Execute("UPDATE book SET workload = @workload WHERE id = @id", new { id, workload }, transaction);
        connection.Execute("""
            DELETE FROM workload_version WHERE book_id = @id AND id NOT IN (SELECT id FROM workload_version WHERE book_id = @id ORDER BY id DESC LIMIT @most)
            """, new { id, most = MostVersions }, transaction);
    }

    /// <summary>Gives a book other limits, all or none: trials that are asked for from now on are held to them.</summary>
    /// <param name="was">What was edited.</param>
    /// <param name="now">What is to be kept.</param>
    /// <param name="why">What brought it, in a few words.</param>
    /// <returns>False where the book has others than were edited: nothing is kept then.</returns>
    public bool KeepLimits(long id, LimitsText was, LimitsText now, string why)
    {
        using SqliteConnection connection = ledger.Open();
        using SqliteTransaction transaction = connection.BeginTransaction();
        if (connection.Execute("UPDATE book SET house_rules = @to WHERE id = @id AND workload = @Workload AND house_rules = @Rules", new { id, to = now.Rules, was.Workload, was.Rules }, transaction) == 0)
        {
            return false;
        }

        KeepWorkload(connection, transaction, id, now.Workload, why);
        transaction.Commit();
        return true;
    }

    /// <summary>The versions of a book's workload, the latest first: that one is in force.</summary>
    public IReadOnlyList<WorkloadVersion> WorkloadVersions(long id)
    {
        using SqliteConnection connection = ledger.Open();
        return connection.Query<WorkloadVersion>("SELECT id AS Id, kept_at AS KeptAt, why AS Why, text AS Text FROM workload_version WHERE book_id = @id ORDER BY id DESC", new { id }).AsList();
    }

    /// <summary>What goes with a book when it is deleted; null where there is none.</summary>
    public BookContents? Contents(long id)
    {
        using SqliteConnection connection = ledger.Open();
        return connection.QuerySingleOrDefault<BookContents>("""
            SELECT (SELECT count(*) FROM change WHERE book_id = b.id) AS Changes, (SELECT count(*) FROM trial WHERE book_id = b.id) AS Trials,
                (SELECT count(*) FROM pattern WHERE book_id = b.id) AS Statements, (SELECT count(*) FROM capture_file WHERE book_id = b.id) AS Files,
                (SELECT count(*) FROM deployment WHERE book_id = b.id) AS Deployments, (SELECT count(*) FROM watch WHERE book_id = b.id) AS Watches,
                (SELECT count(*) FROM note n JOIN pattern p ON p.id = n.pattern_id WHERE p.book_id = b.id) AS Notes,
                (SELECT count(*) FROM standing_plan WHERE book_id = b.id) AS StandingPlans, (SELECT count(*) FROM script_run WHERE book_id = b.id) AS Scripts
            FROM book b WHERE b.id = @id
            """, new { id });
    }

    /// <summary>Deletes a book with all that belongs to it; its database is not touched.</summary>
    public void Delete(long id)
    {
        using SqliteConnection connection = ledger.Open();
        connection.Execute("DELETE FROM book WHERE id = @id", new { id });
    }

    public IReadOnlyList<ChangeRecord> Changes(long bookId)
    {
        using SqliteConnection connection = ledger.Open();
        return connection.Query<ChangeRecord>($"SELECT {ChangeColumns} FROM change WHERE book_id = @bookId ORDER BY id", new { bookId }).AsList();
    }

    public ChangeRecord? FindChange(long id)
    {
        using SqliteConnection connection = ledger.Open();
        return connection.QuerySingleOrDefault<ChangeRecord>($"SELECT {ChangeColumns} FROM change WHERE id = @id", new { id });
    }

    /// <summary>Keeps a change; one with the same text is kept once.</summary>
    public ChangeRecord KeepChange(long bookId, string title, string note, string text)
    {
        using SqliteConnection connection = ledger.Open();
        connection.Execute("""
            INSERT INTO change (book_id, title, note, text, created_at) VALUES (@bookId, @title, @note, @text, @now)
            ON CONFLICT (book_id, text) DO NOTHING
            """, new { bookId, title, note, text, now = clock.Now() });
        return connection.QuerySingle<ChangeRecord>(
            $"SELECT {ChangeColumns} FROM change WHERE book_id = @bookId AND text = @text", new { bookId, text });
    }
}
