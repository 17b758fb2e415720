using System.Buffers.Binary;
using System.Globalization;
using System.Text;

namespace SwiftLedger.Core.Captures.Otlp;

/// <summary>
/// OTLP export requests in protobuf: only the few fields that tell of statements are read, the rest is skipped by its wire type.
/// </summary>
/// <remarks>Field numbers: opentelemetry-proto 1.x, trace.proto, common.proto and trace_service.proto; wire format: Protocol Buffers, "Encoding".</remarks>
public static class OtlpProtobuf
{
    /// <summary>Reads one export request.</summary>
    /// <returns>How many spans were not understood.</returns>
    /// <exception cref="FormatException">The bytes are no protobuf message.</exception>
    public static int Read(ReadOnlySpan<byte> request, ICaptureSink sink)
    {
        int rejected = 0;
        var fields = new Wire(request);
        while (fields.Next())
        {
            if (fields.Number == 1)
            {
                rejected += ReadResourceSpans(fields.Bytes, sink);
            }
        }

        return rejected;
    }

    private static int ReadResourceSpans(ReadOnlySpan<byte> message, ICaptureSink sink)
    {
        var resource = new Dictionary<string, OtlpValue>(StringComparer.Ordinal);
        var spans = new List<OtlpSpan>();
        var fields = new Wire(message);
        while (fields.Next())
        {
            if (fields.Number == 1)
            {
                var inner = new Wire(fields.Bytes);
                while (inner.Next())
                {
                    if (inner.Number == 1)
                    {
                        ReadAttribute(inner.Bytes, resource);
                    }
                }
            }
            else if (fields.Number == 2)
            {
                var scope = new Wire(fields.Bytes);
                while (scope.Next())
                {
                    if (scope.Number == 2)
                    {
                        spans.Add(ReadSpan(scope.Bytes));
                    }
                }
            }
        }

        var sender = new OtlpResource(resource);
        int rejected = OtlpSpan.Observe(spans, sender, 0, sink);
        sender.TellVersion(sink);
        return rejected;
    }

    private static OtlpSpan ReadSpan(ReadOnlySpan<byte> message)
    {
        var span = new OtlpSpan();
        var fields = new Wire(message);
        while (fields.Next())
        {
            switch (fields.Number)
            {
                case 1:
                    span.TraceId = Convert.ToHexStringLower(fields.Bytes);
                    break;
                case 2:
                    span.Id = OtlpSpan.Number(fields.Bytes);
                    break;
                case 4:
                    span.Parent = OtlpSpan.Number(fields.Bytes);
                    break;
                case 5:
                    span.Name = Encoding.UTF8.GetString(fields.Bytes);
                    break;
                case 6:
                    span.Kind = (int)fields.Value;
                    break;
                case 7:
                    span.StartNanoseconds = fields.Value;
                    break;
                case 8:
                    span.EndNanoseconds = fields.Value;
                    break;
                case 9:
                    ReadAttribute(fields.Bytes, span.Attributes);
                    break;
                case 15:
                    var status = new Wire(fields.Bytes);
                    while (status.Next())
                    {
                        span.StatusMessage = status.Number == 2 ? Encoding.UTF8.GetString(status.Bytes) : span.StatusMessage;
                        span.Failed |= status.Number == 3 && status.Value == 2;
                    }

                    break;
            }
        }

        return span;
    }

    private static void ReadAttribute(ReadOnlySpan<byte> message, Dictionary<string, OtlpValue> into)
    {
        string key = "";
        OtlpValue value = default;
        var fields = new Wire(message);
        while (fields.Next())
        {
            if (fields.Number == 1)
            {
                key = Encoding.UTF8.GetString(fields.Bytes);
            }
            else if (fields.Number == 2)
            {
                value = ReadValue(fields.Bytes);
            }
        }

        if (value.Text is not null)
        {
            into[key] = value;
        }
    }

    private static OtlpValue ReadValue(ReadOnlySpan<byte> message)
    {
        OtlpValue value = new("", true);
        var fields = new Wire(message);
        while (fields.Next())
        {
            value = fields.Number switch
            {
                1 => new(Encoding.UTF8.GetString(fields.Bytes), true),
                2 => new(fields.Value != 0 ? "true" : "false", false),
                3 => new(((long)fields.Value).ToString(CultureInfo.InvariantCulture), false),
                4 => new(BitConverter.UInt64BitsToDouble(fields.Value).ToString("R", CultureInfo.InvariantCulture), false),
                _ => value,
            };
        }

        return value;
    }

    /// <summary>The fields of one message.</summary>
    private ref struct Wire(ReadOnlySpan<byte> message)
    {
        private ReadOnlySpan<byte> _rest = message;

        public int Number { get; private set; }

        /// <summary>Of a varint or a fixed number.</summary>
        public ulong Value { get; private set; }

        /// <summary>Of a field with a length.</summary>
        public ReadOnlySpan<byte> Bytes { get; private set; }

        public bool Next()
        {
            if (_rest.IsEmpty)
            {
                return false;
            }

            ulong tag = Varint();
            Number = (int)(tag >> 3);
            Value = 0;
            Bytes = default;
            switch (tag & 7)
            {
                case 0:
                    Value = Varint();
                    break;
                case 1:
                    Value = BinaryPrimitives.ReadUInt64LittleEndian(Take(8));
                    break;
                case 2:
                    Bytes = Take(Varint());
                    break;
                case 5:
                    Value = BinaryPrimitives.ReadUInt32LittleEndian(Take(4));
                    break;
                default:
                    throw new FormatException("A field has a wire type that protobuf does not have.");
            }

            return true;
        }

        private ReadOnlySpan<byte> Take(ulong length)
        {
            if (length > (ulong)_rest.Length)
            {
                throw new FormatException("A protobuf message is cut.");
            }

            ReadOnlySpan<byte> taken = _rest[..(int)length];
            _rest = _rest[(int)length..];
            return taken;
        }

        private ulong Varint()
        {
            ulong value = 0;
            for (int i = 0; i < 10 && i < _rest.Length; i++)
            {
                value |= (ulong)(_rest[i] & 0x7F) << (7 * i);
                if (_rest[i] < 0x80)
                {
                    _rest = _rest[(i + 1)..];
                    return value;
                }
            }

            throw new FormatException("A protobuf number is cut.");
        }
    }
}
