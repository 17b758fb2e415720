using System.Buffers;
using System.Text;
using System.Text.Unicode;

namespace SwiftLedger.Core.Captures;

/// <summary>Characters decoded from UTF-8 into memory that is used again and again.</summary>
internal sealed class Utf8Buffer
{
    private char[] _chars = new char[4096];
    private int _used;

    /// <summary>Whether something since the last <see cref="Clear"/> was not UTF-8; it reads as U+FFFD then.</summary>
    public bool Spoilt { get; private set; }

    public void Clear()
    {
        _used = 0;
        Spoilt = false;
    }

    /// <summary>Decodes bytes behind what was decoded since the last <see cref="Clear"/>; spans stay good until that buffer grows.</summary>
    /// <remarks>Reserve first where several spans are needed at once.</remarks>
    public ReadOnlySpan<char> Decode(ReadOnlySpan<byte> bytes)
    {
        Reserve(bytes.Length);
        if (Utf8.ToUtf16(bytes, _chars.AsSpan(_used), out _, out int count, replaceInvalidSequences: false) != OperationStatus.Done)
        {
            count = Encoding.UTF8.GetChars(bytes, _chars.AsSpan(_used));
            Spoilt = true;
        }

        ReadOnlySpan<char> chars = _chars.AsSpan(_used, count);
        _used += count;
        return chars;
    }

    /// <summary>Makes room for that many characters more: no span handed out after this moves until they are used up.</summary>
    public void Reserve(int chars)
    {
        if (_used + chars > _chars.Length)
        {
            Array.Resize(ref _chars, Math.Max(_chars.Length * 2, _used + chars));
        }
    }
}
