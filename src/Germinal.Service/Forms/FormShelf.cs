using System.Collections.Concurrent;
using Germinal.Core.Forms;
using Germinal.Store;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;

namespace Germinal.Service.Forms;

/// <summary>A form as everybody sees it.</summary>
/// <param name="Id">Which.</param>
/// <param name="PracticeId">Whose.</param>
/// <param name="Slug">The last part of its address.</param>
/// <param name="Version">How often it was shown anew.</param>
/// <param name="Taken">How many it has taken, where it takes only so many.</param>
/// <param name="Form">What it asks.</param>
public sealed record ShownForm(Guid Id, Guid PracticeId, string Slug, int Version, int Taken, Form Form);

/// <summary>Forms as everybody sees them, by their address.</summary>
public sealed class FormShelf
{
    // A form is read far more often than it is shown anew; each showing is read once.
    private readonly ConcurrentDictionary<Guid, (int Version, Form Form)> read = new();

    // So is its practice; each of its versions is read once, to be looked at only.
    private readonly ConcurrentDictionary<Guid, (string Version, PracticeRow Row)> practices = new();

    private sealed record Found(Guid Id, Guid PracticeId, string Slug, int ShownVersion, int Taken, string PracticeVersion);

    /// <summary>The form at an address, in whatever practice; the context sees that practice's rows from then on. Null where there is none, or nobody sees it.</summary>
    public async Task<ShownForm?> FindAsync(GerminalDb db, string slug, CancellationToken stop)
    {
        var found = await db
            .Database.SqlQuery<Found>(
                $"""
                SELECT f.id, f.practice_id, f.slug, f.shown_version, f.taken, p.xmin::text AS practice_version
                FROM forms f JOIN practices p ON p.id = f.practice_id WHERE f.slug = {slug} AND f.shown IS NOT NULL AND p.stopped_at IS NULL
                """
            )
            .ToListAsync(stop);
        if (found is not [var row])
        {
            return null;
        }

        if (!practices.TryGetValue(row.PracticeId, out var practice) || practice.Version != row.PracticeVersion)
        {
            practice = (row.PracticeVersion, await db.Practices.AsNoTracking().SingleAsync(p => p.Id == row.PracticeId, stop));
            practices[row.PracticeId] = practice;
        }

        db.Knows(practice.Row);
        if (!read.TryGetValue(row.Id, out var kept) || kept.Version != row.ShownVersion)
        {
            var shown = await db.Forms.AsNoTracking().SingleAsync(f => f.Id == row.Id, stop);
            if (FormFile.Read(shown.Shown ?? "").Form is not { } form)
            {
                return null;
            }

            kept = (shown.ShownVersion, form);
            read[row.Id] = kept;
        }

        return new ShownForm(row.Id, row.PracticeId, row.Slug, kept.Version, row.Taken, kept.Form);
    }

    /// <summary>A row's form as everybody sees it; null while nobody does.</summary>
    public static ShownForm? Of(FormRow row) =>
        row.Shown is { } shown && FormFile.Read(shown).Form is { } form ? new ShownForm(row.Id, row.PracticeId, row.Slug, row.ShownVersion, row.Taken, form) : null;
}
