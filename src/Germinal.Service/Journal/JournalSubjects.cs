using System.Collections.Frozen;
using Germinal.Core.Contact;
using Germinal.Store;
using Microsoft.EntityFrameworkCore;

namespace Germinal.Service.Journal;

/// <summary>What something was done to: its name, and whom and what it concerns.</summary>
/// <param name="Name">What it is called; empty where it has no name.</param>
/// <param name="PersonId">The person it concerns, or null.</param>
/// <param name="ProgramId">The program it concerns, or null.</param>
public sealed record JournalSubject(string Name, Guid? PersonId, Guid? ProgramId);

/// <summary>The kinds of things the journal tells of, and where each is found by its id.</summary>
public static class JournalSubjects
{
    public const string Person = "person";
    public const string Program = "program";
    public const string Touch = "touch";
    public const string Opportunity = "opportunity";
    public const string Appointment = "appointment";
    public const string Inquiry = "inquiry";
    public const string Submission = "submission";
    public const string Task = "task";
    public const string Merge = "merge";
    public const string Letter = "letter";
    public const string Form = "form";
    public const string Times = "times";
    public const string Page = "page";
    public const string Offer = "offer";
    public const string Figures = "figures";
    public const string File = "file";
    public const string Film = "film";
    public const string Broadcast = "broadcast";
    public const string Segment = "segment";
    public const string Import = "import";
    public const string Post = "post";
    public const string Feed = "feed";
    public const string Calendar = "calendar";
    public const string Absence = "absence";
    public const string Member = "member";

    // A person is called by the one rule for it, of these columns.
    private const string NameParts = "NULL::text AS name, p.first_name, p.last_name, p.email, p.mobile, p.id AS person_id";
    private const string NoParts = "NULL::text AS first_name, NULL::text AS last_name, NULL::text AS email, NULL::text AS mobile";

    private sealed record Found(string? Name, string? FirstName, string? LastName, string? Email, string? Mobile, Guid? PersonId, Guid? ProgramId);

    /// <summary>By its own id ({0}) within the practice ({1}).</summary>
    private static readonly FrozenDictionary<string, string> Queries = new Dictionary<string, string>
    {
        [Person] = OfPerson("people", "id"),
        [Program] = $"SELECT name, {NoParts}, NULL::uuid AS person_id, id AS program_id FROM programs WHERE id = {{0}} AND practice_id = {{1}}",
        [Touch] = OfPerson("touches", program: "t.program_id"),
        [Opportunity] = OfPerson("opportunities"),
        [Appointment] = OfPerson("appointments"),
        [Inquiry] = OfPerson("inquiries"),
        [Submission] = OfPerson("submissions"),
        [Task] = Named("tasks", "title", "person_id"),
        [Merge] = OfPerson("merges", "kept_id"),
        [Letter] = Named("letters"),
        [Form] = Named("forms"),
        [Times] = Named("meeting_pages", "title"),
        [Page] = Named("landings", "title"),
        [Offer] = Named("offers"),
        [Figures] = Named("figure_tables"),
        [File] = Named("kept_files"),
        [Film] = Named("films"),
        [Broadcast] = Named("broadcasts"),
        [Segment] = Named("segments"),
        [Import] = Named("imports", "file_name"),
        [Post] = Named("posts", "words", "person_id"),
        [Feed] = Named("idea_feeds", "title"),
        [Calendar] = Named("own_calendars"),
        [Member] = Named("\"AspNetUsers\""),
        [Absence] = $"SELECT u.name, {NoParts}, NULL::uuid AS person_id, NULL::uuid AS program_id FROM absences a JOIN \"AspNetUsers\" u ON u.id = a.member_id WHERE a.id = {{0}} AND a.practice_id = {{1}}",
    }.ToFrozenDictionary(StringComparer.Ordinal);

    /// <summary>Every kind there is.</summary>
    public static IEnumerable<string> All => Queries.Keys;

    private static string OfPerson(string table, string person = "person_id", string program = "NULL::uuid") =>
        $"SELECT {NameParts}, {program} AS program_id FROM {table} t JOIN people p ON p.id = t.{person} WHERE t.id = {{0}} AND t.practice_id = {{1}}";

    private static string Named(string table, string name = "name", string person = "NULL::uuid") =>
        $"SELECT left({name}, 200) AS name, {NoParts}, {person} AS person_id, NULL::uuid AS program_id FROM {table} WHERE id = {{0}} AND practice_id = {{1}}";

    /// <summary>Finds one; null where there is none such in the practice.</summary>
    public static async Task<JournalSubject?> FindAsync(GerminalDb db, string kind, Guid id, CancellationToken stop) =>
        (await db.Database.SqlQueryRaw<Found>(Queries[kind], id, db.PracticeId!.Value).ToListAsync(stop)) is [var found, ..]
            ? new JournalSubject(found.Name ?? PersonName.Of(found.FirstName, found.LastName, found.Email, found.Mobile), found.PersonId, found.ProgramId)
            : null;
}
