using System.Reflection;
using System.Text.RegularExpressions;
using Mono.Cecil;
using Mono.Cecil.Cil;
using Shouldly;
using SwiftLedger.Core.Engines;
using Xunit;

namespace SwiftLedger.Web.Tests;

/// <summary>Folders: which needs which, and who may name an engine.</summary>
public partial class FolderTests
{
    private const string Root = "SwiftLedger.Core.";

    /// <summary>The lines of registration, which name all engines and are needed by whoever asks for one.</summary>
    private static readonly string[] Registrations = ["src/Core/Engines/KnownEngines.cs", "src/Subjects/SubjectEngines.cs"];

    [Fact]
    public void No_two_folders_of_Core_need_each_other() => MutualNeeds(NeedsOf(typeof(KnownEngines).Assembly.Location, Root, [typeof(KnownEngines).FullName!])).ShouldBeEmpty();

    [Fact]
    public void Two_folders_that_need_each_other_are_found_also_by_way_of_a_third()
    {
        var needs = new Dictionary<string, HashSet<string>> { ["Plans"] = ["Sql", "Trials"], ["Trials"] = ["Reports"], ["Reports"] = ["Plans"], ["Sql"] = [] };
        MutualNeeds(needs).ShouldBe(["Plans - Reports", "Plans - Trials", "Reports - Trials"]);
    }

    [Fact]
    public void A_need_is_seen_in_whatever_a_type_does()
    {
        Dictionary<string, HashSet<string>> needs = NeedsOf(typeof(FolderTests).Assembly.Location, "SwiftLedger.Crooked.", []);
        needs["Left"].ShouldBe(["Right"]);
        needs["Right"].ShouldBe(["Left"]);
        MutualNeeds(needs).ShouldBe(["Left - Right"]);
    }

    [Fact]
    public void Only_its_own_folders_name_an_engine()
    {
        string top = Top();
        string[] folders = [.. new[] { "Core", "Bench", "Web", "Cli", "Subjects" }.Select(f => Path.Combine(top, "src", f))];
        string[] own = [.. KnownEngines.All.Select(e => $"{Path.DirectorySeparatorChar}{FolderOf(e)}{Path.DirectorySeparatorChar}")];
        IEnumerable<string> named = folders.SelectMany(f => Directory.EnumerateFiles(f, "*.cs", SearchOption.AllDirectories))
            .Where(f => !own.Any(f.Contains) && !Registrations.Any(r => f.EndsWith(r, StringComparison.Ordinal)))
            .SelectMany(f => EnginesNamedIn(File.ReadAllText(f)).Select(n => $"{Path.GetRelativePath(top, f)}: {n}"));
        named.ShouldBeEmpty();
    }

    [Theory]
    [InlineData("if (options.Engine.Name == \"PostgreSQL\") { }", "PostgreSQL")]
    [InlineData("using SwiftLedger.Core.Engines.MySql;", "MySql")]
    [InlineData("var x = new SqliteSubject(); // a copy", "SqliteSubject")]
    [InlineData("string url = \"http://x\"; PostgresEngine.Engine.Plans();", "PostgresEngine")]
    [InlineData("/// <summary>SQLite does that.</summary>\n// and MySQL\nint x; /* PostgreSQL */", null)]
    [InlineData("using Microsoft.Data.Sqlite;\ncatch (SqliteException e) when (e.SqliteErrorCode == 13)", null)]
    public void An_engine_is_found_by_its_name_outside_comments_and_not_by_the_ledgers_own_driver(string text, string? found) =>
        EnginesNamedIn(text).FirstOrDefault().ShouldBe(found);

    [Fact]
    public void A_folder_of_an_engine_is_there_wherever_its_descriptor_says_that_something_is()
    {
        foreach (Engine engine in KnownEngines.All)
        {
            Directory.Exists(Path.Combine(Top(), "src", "Core", "Engines", FolderOf(engine))).ShouldBeTrue(engine.Name);
            Directory.Exists(Path.Combine(Top(), "src", "Subjects", FolderOf(engine))).ShouldBe(engine.Addresses is not null, engine.Name);
        }
    }

    private static string FolderOf(Engine engine) => engine.Id switch { "postgreSql" => "Postgres", var id => char.ToUpperInvariant(id[0]) + id[1..] };

    private static IEnumerable<string> EnginesNamedIn(string text) =>
        Names().Matches(LedgersDriver().Replace(Comments().Replace(text, m => m.Value.StartsWith('/') ? "" : m.Value), "")).Select(m => m.Value);

    /// <summary>For each folder, by its namespace below the root, the folders that its types refer to.</summary>
    private static Dictionary<string, HashSet<string>> NeedsOf(string assembly, string root, string[] leaveOut)
    {
        using AssemblyDefinition read = AssemblyDefinition.ReadAssembly(assembly);
        var needs = new Dictionary<string, HashSet<string>>();
        foreach (TypeDefinition type in read.MainModule.GetTypes().Where(t => Outermost(t) is var o && o.Namespace.StartsWith(root, StringComparison.Ordinal) && !leaveOut.Contains(o.FullName)))
        {
            string folder = Outermost(type).Namespace[root.Length..];
            HashSet<string> needed = needs.TryGetValue(folder, out HashSet<string>? known) ? known : needs[folder] = [];
            foreach (TypeDefinition other in Referenced(type).SelectMany(Parts).Select(r => Outermost(r)).Where(t => t.Namespace.StartsWith(root, StringComparison.Ordinal) && !leaveOut.Contains(t.FullName)))
            {
                if (other.Namespace[root.Length..] is var need && need != folder)
                {
                    needed.Add(need);
                }
            }
        }

        return needs;
    }

    private static List<string> MutualNeeds(Dictionary<string, HashSet<string>> needs)
    {
        HashSet<string> Reached(string from)
        {
            var seen = new HashSet<string>();
            var open = new Stack<string>([from]);
            while (open.TryPop(out string? next))
            {
                foreach (string need in needs.GetValueOrDefault(next) ?? [])
                {
                    if (seen.Add(need))
                    {
                        open.Push(need);
                    }
                }
            }

            return seen;
        }

        Dictionary<string, HashSet<string>> reached = needs.Keys.ToDictionary(k => k, Reached);
        return [.. needs.Keys.Order(StringComparer.Ordinal).SelectMany(a => needs.Keys.Where(b => string.CompareOrdinal(a, b) < 0 && reached[a].Contains(b) && reached[b].Contains(a)).Order(StringComparer.Ordinal).Select(b => $"{a} - {b}"))];
    }

    private static IEnumerable<TypeReference> Referenced(TypeDefinition type)
    {
        IEnumerable<TypeReference?> all =
        [
            type.BaseType, .. type.Interfaces.Select(i => i.InterfaceType), .. type.Fields.Select(f => f.FieldType), .. type.Properties.Select(p => p.PropertyType),
            .. type.CustomAttributes.Concat(type.Properties.SelectMany(p => p.CustomAttributes)).SelectMany(a => a.ConstructorArguments.Select(c => c.Value as TypeReference).Append(a.AttributeType)),
            .. type.Methods.SelectMany(OfMethod),
        ];
        return all.OfType<TypeReference>();
    }

    private static IEnumerable<TypeReference?> OfMethod(MethodDefinition method) =>
    [
        method.ReturnType, .. method.Parameters.Select(p => p.ParameterType), .. method.GenericParameters.SelectMany(g => g.Constraints.Select(c => c.ConstraintType)),
        .. method.HasBody ? method.Body.Variables.Select(v => v.VariableType).Concat(method.Body.Instructions.SelectMany(OfInstruction)) : [],
    ];

    private static IEnumerable<TypeReference?> OfInstruction(Instruction i) => i.Operand switch
    {
        TypeReference t => [t],
        GenericInstanceMethod m => [m.DeclaringType, m.ReturnType, .. m.GenericArguments],
        MethodReference m => [m.DeclaringType, m.ReturnType, .. m.Parameters.Select(p => p.ParameterType)],
        FieldReference f => [f.DeclaringType, f.FieldType],
        _ => [],
    };

    /// <summary>A type itself, and what it is made of: elements of arrays, arguments of generic types.</summary>
    private static IEnumerable<TypeReference> Parts(TypeReference type) => type switch
    {
        GenericInstanceType g => g.GenericArguments.SelectMany(Parts).Append(g.ElementType),
        TypeSpecification s => Parts(s.ElementType),
        _ => [type],
    };

    private static TypeDefinition Outermost(TypeReference type)
    {
        TypeReference outer = type;
        while (outer.DeclaringType is { } around)
        {
            outer = around;
        }

        return outer as TypeDefinition ?? new TypeDefinition(outer.Namespace, outer.Name, Mono.Cecil.TypeAttributes.Class);
    }

    private static string Top()
    {
        string folder = Path.GetDirectoryName(Assembly.GetExecutingAssembly().Location)!;
        while (!File.Exists(Path.Combine(folder, "SwiftLedger.slnx")))
        {
            folder = Path.GetDirectoryName(folder)!;
        }

        return folder;
    }

    [GeneratedRegex(@"\w*(?:Postgre[sS]|MySql|MySQL|Sqlite|SQLite)\w*")]
    private static partial Regex Names();

    /// <summary>Comments, and strings so that what looks like a comment in one is none.</summary>
    [GeneratedRegex("""//[^\n]*|/\*.*?\*/|"(?:[^"\\\n]|\\.)*"|'(?:[^'\\]|\\.)+'""", RegexOptions.Singleline)]
    private static partial Regex Comments();

    [GeneratedRegex(@"Microsoft\.Data\.Sqlite|\bSqliteException\b|\bSqliteErrorCode\b")]
    private static partial Regex LedgersDriver();
}
