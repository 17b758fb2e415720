using System.Globalization;
using System.Text;
using Microsoft.Data.Sqlite;
using SwiftLedger.Core.Captures;
using SwiftLedger.Store.Captures;

namespace SwiftLedger.Store.Tests;

/// <summary>A book in a ledger of its own, and logs to be read into it.</summary>
public abstract class ReadsCaptures : IDisposable
{
    private protected static readonly DateTime Start = new(2026, 3, 2, 0, 0, 0, DateTimeKind.Utc);

    private protected readonly string _folder = Directory.CreateTempSubdirectory("swift-ledger-test-").FullName;
    private protected readonly LedgerDatabase _ledger;
    private protected readonly CaptureStore _captures;
    private protected readonly DaybookStore _daybook;
    private protected readonly long _book;

    private protected ReadsCaptures()
    {
        _ledger = new(Path.Combine(_folder, "ledger.db"));
        _captures = new(_ledger, TimeProvider.System);
        _daybook = new(_ledger);
        _book = new BookStore(_ledger, TimeProvider.System).OpenByName("Depot").Id;
    }

    public void Dispose()
    {
        SqliteConnection.ClearAllPools();
        Directory.Delete(_folder, recursive: true);
        GC.SuppressFinalize(this);
    }

    private protected CaptureReport Read(byte[] file, string name, string source = "server", Action<long>? told = null, CancellationToken stop = default) =>
        new CaptureImport(_captures).Read(_book, new MemoryStream(file), name, new(source), told, stop);

    private protected long Calls() => _daybook.Extent(_book) is { } extent
        ? _daybook.Timeline(_daybook.Sources(_book).Select(s => s.Id).ToList(), Stretch.Day, Stretch.Day.StartOf(extent.From), extent.To).Sum(d => d.Cell.Calls)
        : 0;

    private protected static byte[] Log(int statements, int secondsApart = 1)
    {
        var text = new StringBuilder("{\"schema\":\"swift-ledger/capture/1\",\"of\":" + statements + "}\n");
        for (int i = 0; i < statements; i++)
        {
            text.Append(Line(Start.AddSeconds(i * (double)secondsApart), 0.1 + (i % 17), $"SELECT c{i % 5} FROM parcel WHERE id = {i}"));
        }

        return Encoding.UTF8.GetBytes(text.ToString());
    }

    private protected static string Line(DateTime at, double ms, string sql) =>
        string.Create(CultureInfo.InvariantCulture, $"{{\"at\":\"{at:yyyy-MM-ddTHH:mm:ss.fffZ}\",\"ms\":{ms},\"sql\":\"{sql}\"}}\n");
}
