using System.Xml.Linq;
using Mono.Cecil;
using Mono.Cecil.Cil;
using Shouldly;
using SwiftLedger.Core.Engines;
using Xunit;

namespace SwiftLedger.Web.Tests;

/// <summary>What the public members of Core throw is part of what they promise.</summary>
public class ContractTests
{
    [Fact]
    public void What_a_public_member_throws_stands_in_its_comment()
    {
        string assembly = typeof(KnownEngines).Assembly.Location;
        ThrownUnsaid(assembly, Path.ChangeExtension(assembly, ".xml")).ShouldBeEmpty();
    }

    [Fact]
    public void A_throw_that_is_not_told_is_found()
    {
        string documents = Path.GetTempFileName();
        File.WriteAllText(documents, "<doc><members><member name=\"M:SwiftLedger.Web.Tests.ContractTests.Crooked.Told\"><exception cref=\"T:System.FormatException\">x</exception></member></members></doc>");
        ThrownUnsaid(typeof(ContractTests).Assembly.Location, documents).Where(t => t.Contains("Crooked", StringComparison.Ordinal))
            .ShouldBe(["SwiftLedger.Web.Tests.ContractTests.Crooked.Untold: FormatException", "SwiftLedger.Web.Tests.ContractTests.Crooked.Guarded: ArgumentOutOfRangeException"]);
        File.Delete(documents);
    }

    /// <summary>Members that throw by themselves: a <c>throw</c> of something new, or a <c>ThrowIf...</c> of a type of exceptions.</summary>
    private static List<string> ThrownUnsaid(string assembly, string documents)
    {
        ILookup<string, string> said = XDocument.Load(documents).Descendants("member")
            .SelectMany(m => m.Elements("exception").Select(e => (Member: Bare(m.Attribute("name")!.Value[2..]), Type: e.Attribute("cref")!.Value.Split('.', ':')[^1]))).ToLookup(m => m.Member, m => m.Type);
        using AssemblyDefinition read = AssemblyDefinition.ReadAssembly(assembly);
        return [.. read.MainModule.GetTypes().Where(t => IsPublic(t) && !t.FullName.Contains('<')).SelectMany(t => t.Methods).Where(m => m.IsPublic && m.HasBody && !m.IsSpecialName | m.IsConstructor)
            .SelectMany(m => Thrown(m).Distinct().Where(t => !said[NameOf(m)].Contains(t)).Select(t => $"{NameOf(m)}: {t}"))];
    }

    private static IEnumerable<string> Thrown(MethodDefinition method)
    {
        foreach (Instruction i in method.Body.Instructions)
        {
            if (i.OpCode == OpCodes.Throw && i.Previous is { } before && before.OpCode == OpCodes.Newobj)
            {
                yield return ((MethodReference)before.Operand).DeclaringType.Name;
            }
            else if (i.Operand is MethodReference { Name: var name, DeclaringType: { } type } && name.StartsWith("ThrowIf", StringComparison.Ordinal) && type.Name.EndsWith("Exception", StringComparison.Ordinal))
            {
                yield return type.Name;
            }
        }
    }

    private static bool IsPublic(TypeDefinition type) => type.IsPublic || (type.IsNestedPublic && IsPublic(type.DeclaringType));

    private static string NameOf(MethodDefinition method) => Bare($"{method.DeclaringType.FullName.Replace('/', '.')}.{(method.IsConstructor ? "#ctor" : method.Name)}");

    /// <summary>Without parameters and numbers of type parameters: overloads share what they throw.</summary>
    private static string Bare(string name) => name.Split('(')[0].Split('`')[0];

    public static class Crooked
    {
        public static void Told() => throw new FormatException("x");

        public static void Untold(bool really)
        {
            if (really)
            {
                throw new FormatException("x");
            }
        }

        public static void Guarded(int n) => ArgumentOutOfRangeException.ThrowIfNegative(n);
    }
}
