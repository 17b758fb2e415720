using System.Runtime.InteropServices;

namespace SwiftLedger.Subjects;

/// <summary>Tells files from pipes, sockets and devices, which may have no end or never answer, before anything is opened.</summary>
public static partial class RegularFile
{
    private const int FromWorkingFolder = -100, ModeOffset = 28, TypeMask = 0xF000, Regular = 0x8000;

    private const uint ModeWanted = 1;

    /// <summary>What it says of a pipe.</summary>
    public const string Pipe = "a named pipe";

    /// <param name="path">A file that is there, perhaps behind a link.</param>
    /// <returns>What it is instead, in words; null where it is a file, or nothing can be told of it.</returns>
    public static string? NotOne(string path)
    {
        Span<byte> found = stackalloc byte[256];
        unsafe
        {
            fixed (byte* at = found)
            {
                if (Statx(FromWorkingFolder, path, 0, ModeWanted, at) != 0)
                {
                    return null;
                }
            }
        }

        return (BitConverter.ToUInt16(found[ModeOffset..]) & TypeMask) switch
        {
            Regular => null,
            0x1000 => Pipe,
            0x2000 or 0x6000 => "a device",
            0x4000 => "a folder",
            0xC000 => "a socket",
            _ => "no regular file",
        };
    }

    /// <remarks>statx(2): its structure is the same on every processor.</remarks>
    [LibraryImport("libc", EntryPoint = "statx", StringMarshalling = StringMarshalling.Utf8)]
    private static unsafe partial int Statx(int folder, string path, int flags, uint mask, byte* found);
}
