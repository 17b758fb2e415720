using System.Globalization;
using System.Text;
using System.Text.Json;
using CsCheck;
using Shouldly;
using SwiftLedger.Core.Ledger;
using Xunit;

namespace SwiftLedger.Core.Tests.Ledger;

/// <summary>RFC 8785 by its own examples (typed from memory of its sections 3.2.2, 3.2.3 and Appendix B), and by properties.</summary>
public class CanonicalJsonTests
{
    private static readonly JsonSerializerOptions Indented = new() { WriteIndented = true, Encoder = System.Text.Encodings.Web.JavaScriptEncoder.UnsafeRelaxedJsonEscaping };

    /// <summary>The example of section 3.2.2 and its canonical form of 3.2.3.</summary>
    [Fact]
    public void The_example_of_the_standard_has_the_form_that_it_gives()
    {
        string given = """{ "numbers": [333333333.33333329, 1E30, 4.50, 2e-3, 0.000000000000000000000000001], "string": "\u20ac$\u000F\u000aA'\u0042\u0022\u005c\\\"\/", "literals": [null, true, false] }""";
        Of(given).ShouldBe("""{"literals":[null,true,false],"numbers":[333333333.3333333,1e+30,4.5,0.002,1e-27],"string":"€$\u000f\nA'B\"\\\\\"/"}""");
    }

    /// <summary>Names are in the order of their UTF-16 code units: the example of section 3.2.3, where an emoji stands before a ligature.</summary>
    [Fact]
    public void Names_stand_in_the_order_of_their_code_units()
    {
        string given = """{ "\u20ac": "Euro Sign", "\r": "Carriage Return", "\ufb33": "Hebrew Letter Dalet With Dagesh", "1": "One", "\ud83d\ude00": "Emoji: Grinning Face", "\u0080": "Control", "\u00f6": "Latin Small Letter O With Diaeresis" }""";
        using var canonical = JsonDocument.Parse(Of(given));
        canonical.RootElement.EnumerateObject().Select(p => p.Value.GetString()).ShouldBe(
            ["Carriage Return", "One", "Control", "Latin Small Letter O With Diaeresis", "Euro Sign", "Emoji: Grinning Face", "Hebrew Letter Dalet With Dagesh"]);
    }

    /// <summary>Appendix B: doubles by their bits, and how they are written.</summary>
    [Theory]
    [InlineData(0x0000000000000000, "0")]
    [InlineData(0x8000000000000000, "0")]
    [InlineData(0x0000000000000001, "5e-324")]
    [InlineData(0x8000000000000001, "-5e-324")]
    [InlineData(0x7fefffffffffffff, "1.7976931348623157e+308")]
    [InlineData(0xffefffffffffffff, "-1.7976931348623157e+308")]
    [InlineData(0x4340000000000000, "9007199254740992")]
    [InlineData(0xc340000000000000, "-9007199254740992")]
    [InlineData(0x4430000000000000, "295147905179352830000")]
    [InlineData(0x44b52d02c7e14af5, "9.999999999999997e+22")]
    [InlineData(0x44b52d02c7e14af6, "1e+23")]
    [InlineData(0x44b52d02c7e14af7, "1.0000000000000001e+23")]
    [InlineData(0x444b1ae4d6e2ef4e, "999999999999999700000")]
    [InlineData(0x444b1ae4d6e2ef4f, "999999999999999900000")]
    [InlineData(0x444b1ae4d6e2ef50, "1e+21")]
    [InlineData(0x3eb0c6f7a0b5ed8c, "9.999999999999997e-7")]
    [InlineData(0x3eb0c6f7a0b5ed8d, "0.000001")]
    [InlineData(0x41b3de4355555553, "333333333.3333332")]
    [InlineData(0x41b3de4355555554, "333333333.33333325")]
    [InlineData(0x41b3de4355555555, "333333333.3333333")]
    [InlineData(0x41b3de4355555556, "333333333.3333334")]
    [InlineData(0x41b3de4355555557, "333333333.33333343")]
    [InlineData(0xbecbf647612f3696, "-0.0000033333333333333333")]
    [InlineData(0x43143ff3c1cb0959, "1424953923781206.2")]
    public void Numbers_are_written_as_the_standard_lists_them(ulong bits, string written)
    {
        double number = BitConverter.UInt64BitsToDouble(bits);
        Of(number.ToString("R", CultureInfo.InvariantCulture)).ShouldBe(written);
    }

    [Fact]
    public void Any_double_reads_back_as_itself_and_is_never_longer_than_it_need() =>
        Gen.Double.Where(double.IsFinite).Sample(d =>
        {
            string written = Of(d.ToString("R", CultureInfo.InvariantCulture));
            double.Parse(written, CultureInfo.InvariantCulture).ShouldBe(d);
            written.Count(char.IsAsciiDigit).ShouldBeLessThanOrEqualTo(25);
        });

    [Fact]
    public void Any_value_has_one_form_whatever_its_layout_and_it_is_its_own_form()
    {
        Gen.Select(Gen.String, Gen.String, Gen.Int).Sample((name, text, number) =>
        {
            if (name == "b" || HasHalf(name) || HasHalf(text))
            {
                return;
            }

            string one = JsonSerializer.Serialize(new Dictionary<string, object> { [name] = text, ["b"] = number });
            string other = JsonSerializer.Serialize(new Dictionary<string, object> { ["b"] = number, [name] = text }, Indented);
            Of(one).ShouldBe(Of(other));
            Of(Of(one)).ShouldBe(Of(one));
        });
    }

    [Theory]
    [InlineData("""{"a":1,"a":2}""")]
    [InlineData("""{"a":1e999}""")]
    [InlineData("""{"x":{"a":1,"a":1}}""")]
    public void What_has_no_one_meaning_has_no_form(string json) => Should.Throw<FormatException>(() => Of(json));

    private static bool HasHalf(string text) => Encoding.UTF8.GetString(Encoding.UTF8.GetBytes(text)) != text;

    private static string Of(string json)
    {
        using var document = JsonDocument.Parse(json);
        return CanonicalJson.Write(document.RootElement);
    }
}
