namespace SwiftLedger.Demo.Live;

/// <summary>How the stand-in for the huts' application is started.</summary>
/// <param name="Server">Where it sends its traces and asks for holds.</param>
/// <param name="Book">The book's number.</param>
/// <param name="BookName">The book's name, which is where its traces go.</param>
/// <param name="Engine">Of its database: <see cref="SwiftLedger.Core.Engines.Engine.Id"/>.</param>
/// <param name="Database">Its own, which it writes to, as the engine's driver connects to it.</param>
/// <param name="Began">When its clock was right.</param>
/// <param name="Pace">How many times as fast its clock runs.</param>
/// <param name="Version">The application's, before any deployment.</param>
/// <param name="Done">Deployments that were made before it was started again: their statements are written as they were deployed.</param>
public sealed record LiveSettings(Uri Server, long Book, string BookName, string Engine, string Database, DateTimeOffset Began, double Pace, string Version, IReadOnlyList<LiveOrder> Done);

/// <summary>A deployment that the application is told to make.</summary>
/// <param name="Number">From 1.</param>
/// <param name="Version">From then on.</param>
/// <param name="Script">A change file: what is run first, and statements that are written otherwise.</param>
public sealed record LiveOrder(int Number, string Version, string Script);

/// <summary>What the application tells of itself, about once a second.</summary>
/// <param name="Version">That runs.</param>
/// <param name="PerSecond">Executions, of the machine's seconds.</param>
/// <param name="Held">Statements that it runs as they are held.</param>
/// <param name="Order">The last deployment that it made.</param>
/// <param name="Problem">What failed last; empty where nothing did.</param>
public sealed record LiveBeat(string Version, double PerSecond, IReadOnlyList<string> Held, int Order, string Problem);
