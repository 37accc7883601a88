using Germinal.Channels;
using Germinal.Channels.Films;
using Germinal.Core.Results;
using Germinal.Core.Time;
using Germinal.Service.Forms;
using Germinal.Service.Letters;
using Germinal.Service.People;
using Germinal.Store;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Service.Films;

/// <summary>A film.</summary>
/// <param name="Id">Which.</param>
/// <param name="Edition">Counts its changes.</param>
/// <param name="Name">What it is called, on its page too.</param>
/// <param name="Words">What stands below it on its page.</param>
/// <param name="Path">Its page, here.</param>
/// <param name="Address">Its page as letters lead to it.</param>
/// <param name="Length">How long it is, as a clock says it.</param>
/// <param name="Width">In points.</param>
/// <param name="Height">In points.</param>
/// <param name="Bytes">How large it is.</param>
/// <param name="Still">Where its still is; null for none yet.</param>
/// <param name="By">Who brought it in.</param>
/// <param name="At">When.</param>
/// <param name="Seen">How many people have seen some of it.</param>
/// <param name="SeenByOthers">How often it was seen by somebody whom no link of theirs led there.</param>
public sealed record FilmDto(Guid Id, int Edition, string Name, string Words, string Path, string Address, string Length, int Width, int Height, long Bytes, string? Still, string By, string At, int Seen, int SeenByOthers);

/// <summary>Who saw what of a film.</summary>
/// <param name="Person">Who.</param>
/// <param name="At">When they saw it last.</param>
/// <param name="Words">What of it: <c>0:00 to 0:42</c>.</param>
/// <param name="Percent">How much of it, out of a hundred.</param>
public sealed record FilmSeenBy(PersonRef Person, string At, string Words, int Percent);

/// <summary>Films: brought in, shown, and who saw what of them.</summary>
public sealed class FilmShelf(IDbContextFactory<GerminalDb> databases)
{
    /// <summary>The most films of a practice.</summary>
    public const int Most = 200;

    /// <summary>The most that all of them hold together, in bytes.</summary>
    public const long MostForAll = 5L * 1024 * 1024 * 1024;

    /// <summary>The most stretches that are kept of one look.</summary>
    public const int MostStretches = 20;

    /// <summary>The most looks of one film in an hour: whoever calls more often is no reader.</summary>
    private const int MostLooksAnHour = 500;

    private const int MostNames = 300;

    /// <summary>The practice's films, the newest first.</summary>
    /// <param name="db">A context of the practice.</param>
    /// <param name="links">Where we are.</param>
    /// <param name="stop">Gives up.</param>
    public static async Task<IReadOnlyList<FilmDto>> ReadAsync(GerminalDb db, PublicLinks links, CancellationToken stop)
    {
        var rows = await db
            .Films.AsNoTracking()
            .OrderByDescending(f => f.At)
            .ThenBy(f => f.Id)
            .Select(f => new
            {
                Row = f,
                Seen = db.FilmViews.Where(v => v.FilmId == f.Id && v.PersonId != null).Select(v => v.PersonId).Distinct().Count(),
                Others = db.FilmViews.Count(v => v.FilmId == f.Id && v.PersonId == null),
            })
            .ToListAsync(stop);
        return [.. rows.Select(r => Dto(r.Row, links, r.Seen, r.Others))];
    }

    /// <summary>Who saw what of a film, the last one first. What somebody saw on several looks is put together.</summary>
    public static async Task<IReadOnlyList<FilmSeenBy>> SeenAsync(GerminalDb db, FilmRow film, CancellationToken stop)
    {
        var views = await db
            .FilmViews.AsNoTracking()
            .Where(v => v.FilmId == film.Id && v.PersonId != null)
            .Join(db.People, v => v.PersonId, p => p.Id, (v, p) => new { View = v, p.Id, p.Name })
            .OrderByDescending(v => v.View.At)
            .Take(MostNames * 5)
            .ToListAsync(stop);
        var seconds = SecondsOf(film);
        return
        [
            .. views
                .GroupBy(v => (v.Id, v.Name))
                .Select(g =>
                {
                    var seen = g.Aggregate((IReadOnlyList<int>)[], (all, v) => Stretches.Join(all, v.View.Seen, seconds, MostStretches));
                    return new FilmSeenBy(new PersonRef(g.Key.Id, g.Key.Name), g.Max(v => v.View.At).Iso(), Stretches.Words(seen), seconds == 0 ? 100 : Stretches.Length(seen) * 100 / seconds);
                })
                .OrderByDescending(s => s.At, StringComparer.Ordinal)
                .Take(MostNames),
        ];
    }

    /// <summary>Keeps a film in pieces, so that no more than one of them is in memory.</summary>
    /// <param name="db">A context of the practice.</param>
    /// <param name="film">The film, from its beginning.</param>
    /// <param name="kind">What it is.</param>
    /// <param name="name">What it is called; once in the practice.</param>
    /// <param name="by">Who brings it in.</param>
    /// <param name="links">Where we are.</param>
    /// <param name="now">Practice time.</param>
    /// <param name="stop">Gives up; nothing is kept then.</param>
    public static async Task<FilmDto> KeepAsync(GerminalDb db, Stream film, FilmKind kind, string name, string by, PublicLinks links, Instant now, CancellationToken stop)
    {
        var row = new FilmRow
        {
            Id = Guid.CreateVersion7(),
            PracticeId = db.PracticeId!.Value,
            Name = name,
            Slug = FormDesk.NewSlug(name),
            ContentType = kind.Type,
            Bytes = film.Length,
            Milliseconds = kind.Milliseconds,
            Width = kind.Width,
            Height = kind.Height,
            By = by,
            At = now,
        };
        await using var transaction = await db.Database.BeginTransactionAsync(stop);
        db.Films.Add(row);
        await db.SaveChangesAsync(stop);
        film.Seek(0, SeekOrigin.Begin);
        var piece = new byte[FilmPieceRow.Size];
        for (var number = 0; await film.ReadAtLeastAsync(piece, piece.Length, throwOnEndOfStream: false, stop) is > 0 and var count; number++)
        {
            var content = count == piece.Length ? piece : piece[..count];
            await db.Database.ExecuteSqlAsync($"INSERT INTO film_pieces (film_id, number, practice_id, content) VALUES ({row.Id}, {number}, {row.PracticeId}, {content})", stop);
        }

        await transaction.CommitAsync(stop);
        return Dto(row, links, 0, 0);
    }

    /// <summary>What is wrong with a name; null where nothing is.</summary>
    public static async Task<string?> NameProblemAsync(GerminalDb db, Guid film, string name, CancellationToken stop) =>
        name.Length is 0 or > Lengths.Name ? Say($"A film has a name of 1 to {Lengths.Name} letters.")
        : await db.Films.AnyAsync(f => f.Id != film && f.Name == name, stop) ? Say($"There is a film “{name}” already. Give this one another name.")
        : null;

    /// <summary>A film by its address, of whatever practice; the context is that practice's from then on.</summary>
    public static async Task<FilmRow?> FindAsync(GerminalDb db, string slug, CancellationToken stop)
    {
        var film = slug.Length > 80 ? null : await db.Films.IgnoreQueryFilters().AsNoTracking().FirstOrDefaultAsync(f => f.Slug == slug && db.OpenPractices.Contains(f.PracticeId), stop);
        db.PracticeId = film?.PracticeId;
        return film;
    }

    /// <summary>A film to be sent; whoever asks for it closes it.</summary>
    public async Task<Stream> OpenAsync(FilmRow film, CancellationToken stop) => new FilmStream(await databases.CreateDbContextAsync(stop), film.Id, film.Bytes);

    /// <summary>Notes what somebody saw, added to what they were said to have seen on this page before.</summary>
    /// <param name="db">A context of the film's practice.</param>
    /// <param name="film">The film.</param>
    /// <param name="reader">Who; null for somebody whom no link of theirs led there.</param>
    /// <param name="key">The mark of the page.</param>
    /// <param name="seen">From, until, from, until, in seconds.</param>
    /// <param name="now">Practice time.</param>
    /// <param name="stop">Gives up.</param>
    public static async Task NoteAsync(GerminalDb db, FilmRow film, ReaderOf? reader, string key, IReadOnlyList<int> seen, Instant now, CancellationToken stop)
    {
        await using var transaction = await db.Database.BeginTransactionAsync(stop);
        await db.Database.ExecuteSqlAsync($"SELECT pg_advisory_xact_lock(hashtextextended({$"film/{film.Id}/{key}"}, 0))", stop);
        var row = await db.FilmViews.FirstOrDefaultAsync(v => v.FilmId == film.Id && v.Key == key, stop);
        var hour = now - Duration.FromHours(1);
        if (row is null && await db.FilmViews.CountAsync(v => v.FilmId == film.Id && v.At > hour, stop) >= MostLooksAnHour)
        {
            return;
        }

        if (row is null)
        {
            db.FilmViews.Add(row = new FilmViewRow { PracticeId = film.PracticeId, FilmId = film.Id, PersonId = reader?.PersonId, TouchId = reader?.TouchId, Key = key, At = now });
        }
        else if (row.PersonId != reader?.PersonId)
        {
            // The mark of a page goes with its reader.
            return;
        }

        row.Seen = [.. Stretches.Join(row.Seen, seen, SecondsOf(film), MostStretches)];
        if (row.Seen.Count == 0)
        {
            return;
        }

        await db.SaveChangesAsync(stop);
        await transaction.CommitAsync(stop);
    }

    /// <summary>A film's length in whole seconds, the last one begun counted.</summary>
    public static int SecondsOf(FilmRow film) => (film.Milliseconds + 999) / 1000;

    private static FilmDto Dto(FilmRow f, PublicLinks links, int seen, int others) =>
        new(
            f.Id,
            f.Edition,
            f.Name,
            f.Words,
            $"{PublicLinks.FilmRoot}/{f.Slug}",
            links.Film(f.Slug),
            Stretches.Clock(SecondsOf(f)),
            f.Width,
            f.Height,
            f.Bytes,
            OwnPictures.AddressOf(f.StillId),
            f.By,
            f.At.Iso(),
            seen,
            others
        );
}
