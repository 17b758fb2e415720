using System.Reflection;
using NetArchTest.Rules;
using Shouldly;
using Xunit;

namespace SwiftLedger.Web.Tests;

/// <summary>Dependencies point one way.</summary>
public class ArchitectureTests
{
    [Theory]
    [InlineData("SwiftLedger.Core", "SwiftLedger.Subjects,SwiftLedger.Bench,SwiftLedger.Store,SwiftLedger.Demo,SwiftLedger.Web,SwiftLedger.Cli,Dapper,Microsoft.Data.Sqlite,SQLitePCL,Microsoft.AspNetCore,System.Net.Http,System.IO.FileStream,System.IO.File,System.Diagnostics.Stopwatch,System.Diagnostics.Process,System.Random")]
    [InlineData("SwiftLedger.Subjects", "SwiftLedger.Bench,SwiftLedger.Store,SwiftLedger.Demo,SwiftLedger.Web,SwiftLedger.Cli,Microsoft.AspNetCore")]
    [InlineData("SwiftLedger.Store", "SwiftLedger.Subjects,SwiftLedger.Bench,SwiftLedger.Demo,SwiftLedger.Web,SwiftLedger.Cli,Microsoft.AspNetCore")]
    [InlineData("SwiftLedger.Demo", "SwiftLedger.Subjects,SwiftLedger.Bench,SwiftLedger.Store,SwiftLedger.Web,SwiftLedger.Cli,Microsoft.AspNetCore")]
    [InlineData("SwiftLedger.Bench", "SwiftLedger.Web,SwiftLedger.Cli,SwiftLedger.Demo,Microsoft.AspNetCore")]
    [InlineData("SwiftLedger.Web", "SwiftLedger.Cli,SwiftLedger.Demo")]
    public void Nothing_depends_on_what_stands_above_it(string assembly, string forbidden)
    {
        NetArchTest.Rules.TestResult result = Types.InAssembly(Assembly.Load(assembly)).ShouldNot().HaveDependencyOnAny(forbidden.Split(',')).GetResult();
        (result.FailingTypeNames ?? []).ShouldBeEmpty();
    }
}
