namespace SwiftLedger.Core.Captures.Otlp;

/// <summary>What sent spans, by OpenTelemetry's semantic conventions for resources.</summary>
internal sealed class OtlpResource
{
    private readonly VersionKey _version;

    /// <param name="attributes">Its own.</param>
    public OtlpResource(IReadOnlyDictionary<string, OtlpValue> attributes)
    {
        Service = OtlpSpan.First(attributes, "service.name");
        string instance = OtlpSpan.First(attributes, "service.instance.id", "host.name");
        Source = Service.Length == 0 ? "" : instance.Length == 0 ? Service : $"{Service} {instance}";
        _version = new(Service, OtlpSpan.First(attributes, "service.version"));
    }

    public string Service { get; }

    /// <summary>See <see cref="Observation.Source"/>.</summary>
    public string Source { get; }

    private DateTime? First { get; set; }

    private DateTime? Last { get; set; }

    /// <summary>Something that it did.</summary>
    /// <param name="at">When, UTC.</param>
    public void Did(DateTime at) => (First, Last) = (at < First ? at : First ?? at, at > Last ? at : Last ?? at);

    /// <summary>Tells which version did it, once for all its spans.</summary>
    /// <param name="sink">Told.</param>
    public void TellVersion(ICaptureSink sink)
    {
        if (_version.Version.Length > 0 && First is { } first && Last is { } last)
        {
            sink.SeeVersion(_version, first);
            sink.SeeVersion(_version, last);
        }
    }
}
