using TagLib;

namespace Germinal.Channels.Films;

/// <summary>What a film is, by what is in it.</summary>
/// <param name="Type">video/mp4 or video/webm.</param>
/// <param name="Milliseconds">How long it is.</param>
/// <param name="Width">In points.</param>
/// <param name="Height">In points.</param>
public sealed record FilmKind(string Type, int Milliseconds, int Width, int Height)
{
    /// <summary>The largest that is taken.</summary>
    public const int MostMegabytes = 100;

    private static readonly TimeSpan Longest = TimeSpan.FromMinutes(30);

    // The heads of a WebM stand within this; those of an MP4 may stand anywhere, and are looked for.
    private const int HeadBytes = 256 * 1024;

    // H.264 in its two ways of being kept (ISO/IEC 14496-15, 5.4.2).
    private static readonly string[] H264 = ["avc1", "avc3"];
    private static readonly string[] OfWeb = ["V_VP8", "V_VP9", "V_AV1"];

    /// <summary>Reads what a film is. Only its heads are read, wherever they stand in it.</summary>
    /// <param name="film">The film; it is read from place to place, and stays open.</param>
    /// <returns>What it is; or what is wrong with it, in a sentence.</returns>
    public static (FilmKind? Kind, string? Problem) Of(Stream film)
    {
        var head = new byte[HeadBytes];
        film.Seek(0, SeekOrigin.Begin);
        var read = film.ReadAtLeast(head, head.Length, throwOnEndOfStream: false);
        var begins = head.AsSpan(0, read);
        var isMp4 = read > 12 && begins[4..8].SequenceEqual("ftyp"u8);
        var isMatroska = begins.StartsWith((ReadOnlySpan<byte>)[0x1A, 0x45, 0xDF, 0xA3]);
        if (!isMp4 && !isMatroska)
        {
            return (null, Said("This is no film that browsers show. An MP4 (H.264) or a WebM would be right."));
        }

        if (isMatroska && begins.IndexOf("webm"u8) < 0)
        {
            return (null, Said("This is a Matroska film, which not every browser shows. Save it as WebM, or as MP4 (H.264)."));
        }

        try
        {
            film.Seek(0, SeekOrigin.Begin);
            using var file = TagLib.File.Create(new Open(film, isMp4 ? "film.mp4" : "film.webm"), isMp4 ? "video/mp4" : "video/webm", ReadStyle.Average);
            var video = file.Properties?.Codecs?.OfType<IVideoCodec>().FirstOrDefault();
            if (video is null || file.PossiblyCorrupt)
            {
                return (null, Say($"There is no picture in this film that can be read; it may have broken off on its way. {Instead}"));
            }

            var coded = isMp4 ? (video as TagLib.Mpeg4.IsoVisualSampleEntry)?.BoxType.ToString() ?? "" : CodecOf(head.AsSpan(0, read));
            if (!(isMp4 ? H264 : OfWeb).Contains(coded, StringComparer.Ordinal))
            {
                return (null, Say($"Its picture is coded in a way that not every browser shows ({Short(coded)}). {Instead}"));
            }

            var length = file.Properties!.Duration > TimeSpan.Zero ? file.Properties.Duration : video.Duration;
            if (length > Longest)
            {
                return (null, Say($"It is {length.TotalMinutes:0} minutes long; up to {Longest.TotalMinutes:0} are shown. Cut it shorter."));
            }

            return (new FilmKind(isMp4 ? "video/mp4" : "video/webm", (int)Math.Max(0, length.TotalMilliseconds), video.VideoWidth, video.VideoHeight), null);
        }
        catch (Exception e) when (e is CorruptFileException or UnsupportedFormatException or ArgumentException or FormatException or OverflowException or IndexOutOfRangeException or InvalidOperationException or NullReferenceException or NotSupportedException or OutOfMemoryException or IOException or InvalidCastException or KeyNotFoundException)
        {
            // The package says with many kinds of exception that it cannot read something.
            return (null, Say($"It cannot be read as a film; it may have broken off on its way. {Instead}"));
        }
    }

    /// <summary>The name of a WebM's way of coding, which stands among its tracks before the film itself (RFC 9559, 5.1.4.1.21).</summary>
    private static string CodecOf(ReadOnlySpan<byte> head)
    {
        foreach (var name in OfWeb)
        {
            if (head.IndexOf(System.Text.Encoding.ASCII.GetBytes(name)) >= 0)
            {
                return name;
            }
        }

        return "";
    }

    private static string Instead => Said("Save it as MP4 with H.264, which every telephone and every program for films can.");

    private static string Short(string words) => new([.. words.Where(char.IsLetterOrDigit).Take(12)]);

    /// <summary>An open stream as the package asks for one: read only, and left open.</summary>
    private sealed class Open(Stream film, string name) : TagLib.File.IFileAbstraction
    {
        public string Name => name;

        public Stream ReadStream => film;

        public Stream WriteStream => throw new NotSupportedException();

        public void CloseStream(Stream stream) { }
    }
}
