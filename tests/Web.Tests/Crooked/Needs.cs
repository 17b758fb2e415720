// Folders that need each other on purpose: one by a local variable's method alone, the other by an argument of a generic type.
namespace SwiftLedger.Crooked.Left
{
    internal static class Leaning
    {
        public static int Count() => Right.Upright.All.Count;
    }
}

namespace SwiftLedger.Crooked.Right
{
    internal static class Upright
    {
        public static readonly List<Func<string>> All = [() => nameof(Left.Leaning) + typeof(Left.Leaning)];
    }
}
