using System.Text;
using System.Text.Json;
using Germinal.Channels;
using Germinal.Channels.Post;
using Germinal.Channels.Tables;
using Germinal.Core.Files;
using Germinal.Core.Forms;
using Germinal.Core.Time;
using Germinal.Service;
using Germinal.Service.Clock;
using Germinal.Service.Forms;
using Germinal.Service.Letters;
using Germinal.Store;
using Germinal.Store.Rows;
using Germinal.Web.Hosting;
using Microsoft.AspNetCore.Http.HttpResults;
using Microsoft.EntityFrameworkCore;

namespace Germinal.Web.Endpoints;

/// <summary>A form in the list.</summary>
/// <param name="Id">Which.</param>
/// <param name="Name">What it is called.</param>
/// <param name="Address">Its public page.</param>
/// <param name="Shown">Whether everybody sees it.</param>
/// <param name="Open">Whether it takes submissions now.</param>
/// <param name="Changed">Whether it was changed since it was shown.</param>
/// <param name="Sent">How many were taken.</param>
/// <param name="Unconfirmed">How many wait for their sender's yes.</param>
/// <param name="Apart">How many wait for a member: doubtful, or on the waiting list.</param>
/// <param name="LastAt">When one came last.</param>
public sealed record FormLine(Guid Id, string Name, string Address, bool Shown, bool Open, bool Changed, int Sent, int Unconfirmed, int Apart, string? LastAt);

/// <summary>A form as it is being written.</summary>
/// <param name="Id">Which.</param>
/// <param name="Edition">For saving: which edition this is.</param>
/// <param name="Slug">The last part of its address.</param>
/// <param name="Address">Its public page.</param>
/// <param name="Draft">The form file, as it is being written.</param>
/// <param name="Shown">The form file, as everybody sees it; null while nobody does.</param>
/// <param name="Findings">What keeps it from being shown.</param>
/// <param name="Sent">How many were taken.</param>
/// <param name="By">Who changed it last.</param>
public sealed record FormDto(Guid Id, int Edition, string Slug, string Address, JsonElement Draft, JsonElement? Shown, IReadOnlyList<FindingDto> Findings, int Sent, string By);

/// <summary>A submission in a form's table.</summary>
/// <param name="Id">Which.</param>
/// <param name="At">When it came.</param>
/// <param name="State">taken, unconfirmed, doubtful, waiting or nothing.</param>
/// <param name="Doubt">Why it waits apart.</param>
/// <param name="Person">Whose it is; null while nothing but it exists.</param>
/// <param name="Name">Their name.</param>
/// <param name="Answers">What was answered, by question.</param>
/// <param name="CameFrom">The page it stood in.</param>
public sealed record SubmissionLine(Guid Id, string At, string State, string Doubt, Guid? Person, string? Name, IReadOnlyList<SubmittedAnswer> Answers, string? CameFrom);

/// <summary>A page of a form's submissions, the newest first.</summary>
public sealed record SubmissionsDto(IReadOnlyList<SubmissionLine> Rows, string? Next);

/// <summary>How often an answer was chosen.</summary>
public sealed record AnswerCount(string Answer, int Count);

/// <summary>How often each answer of a choice was chosen, of how many who answered.</summary>
public sealed record QuestionCounts(string Question, string Ask, int Answered, IReadOnlyList<AnswerCount> Counts);

/// <summary>A form's page as it would be seen.</summary>
public sealed record FormPreviewDto(string Page, IReadOnlyList<FindingDto> Findings);

/// <summary>Writing forms, showing them, and what was sent by them.</summary>
public static class FormEndpoints
{
    private const int Page = 100;
    private const int MostDraft = 200_000;

    public sealed record NewFormBody([AtMost(Lengths.Name)] string Name = "");

    /// <param name="Edition">The edition it was made from.</param>
    /// <param name="Draft">The form file.</param>
    public sealed record SaveFormBody(int Edition = 0, JsonElement? Draft = null);

    public sealed record PreviewFormBody(JsonElement? Draft = null);

    public static void Map(IEndpointRouteBuilder app)
    {
        var forms = app.MapGroup("/api/forms").WithTags("forms").RequireAuthorization(Rights.WritePrograms);
        forms.MapGet("", List);
        forms.MapPost("", Create);
        forms.MapPost("/preview", Preview);
        var form = forms.MapGroup("/{id:guid}");
        form.MapGet("", Read);
        form.MapPut("", Save);
        form.MapDelete("", Delete);
        form.MapPost("/show", Show).RequireAuthorization(Rights.ShowForms);
        form.MapPost("/hide", Hide).RequireAuthorization(Rights.ShowForms);
        form.MapGet("/submissions", Submissions);
        form.MapGet("/counts", Counts);
        form.MapGet("/submissions.csv", Export).RequireAuthorization(Rights.ExportPeople).ExcludeFromDescription();
        form.MapGet("/file.json", File).ExcludeFromDescription();
        form.MapGet("/code.svg", (Guid id, GerminalDb db, PublicLinks links, CancellationToken stop) => CodeAsync(id, db, links, a => Results.Text(SignUpSheet.CodeSvg(a), "image/svg+xml"), stop)).ExcludeFromDescription();
        form.MapGet("/code.png", (Guid id, GerminalDb db, PublicLinks links, CancellationToken stop) => CodeAsync(id, db, links, a => Results.File(SignUpSheet.CodePng(a, 20), "image/png", "code.png"), stop)).ExcludeFromDescription();
        form.MapGet("/sheet.pdf", Sheet).ExcludeFromDescription();
        var sent = app.MapGroup("/api/submissions/{id:guid}").WithTags("forms").RequireAuthorization(Rights.Work);
        sent.MapPost("/allow", Allow);
        sent.MapPost("/nothing", Nothing);
        sent.MapPost("/take-over", TakeOver);
    }

    private static async Task<IReadOnlyList<FormLine>> List(GerminalDb db, PublicLinks links, CancellationToken stop)
    {
        var now = await PracticeClock.NowAsync(db, stop);
        var rows = await db.Forms.AsNoTracking().OrderBy(f => f.Name).ToListAsync(stop);
        var counts = (
            await db
                .Submissions.AsNoTracking()
                .GroupBy(s => new { s.FormId, s.Status })
                .Select(g => new { g.Key.FormId, g.Key.Status, Count = g.Count(), Last = g.Max(s => s.At) })
                .ToListAsync(stop)
        ).ToLookup(c => c.FormId);
        return
        [
            .. rows.Select(r =>
            {
                int Of(params string[] states) => counts[r.Id].Where(c => states.Contains(c.Status, StringComparer.Ordinal)).Sum(c => c.Count);
                var shown = FormShelf.Of(r);
                return new FormLine(
                    r.Id,
                    r.Name,
                    links.Form(r.Slug),
                    shown is not null,
                    shown?.Form.IsOpen(now, r.Taken) == true,
                    r.Shown is not null && r.Shown != r.Draft,
                    Of(SubmissionStates.Taken),
                    Of(SubmissionStates.Unconfirmed),
                    Of(SubmissionStates.Doubtful, SubmissionStates.Waiting),
                    counts[r.Id].Any() ? counts[r.Id].Max(c => c.Last).Iso() : null
                );
            }),
        ];
    }

    private static IReadOnlyList<FindingDto> Findings(IReadOnlyList<Finding> findings) => [.. findings.Select(f => new FindingDto(f.Pointer, f.Message, f.IsWarning))];

    private static async Task<Results<Ok<FormDto>, NotFound>> Read(Guid id, GerminalDb db, PublicLinks links, CancellationToken stop) =>
        await db.Forms.AsNoTracking().FirstOrDefaultAsync(f => f.Id == id, stop) is { } row ? TypedResults.Ok(await DtoAsync(db, row, links, stop)) : TypedResults.NotFound();

    private static async Task<FormDto> DtoAsync(GerminalDb db, FormRow row, PublicLinks links, CancellationToken stop) =>
        new(
            row.Id,
            row.Edition,
            row.Slug,
            links.Form(row.Slug),
            JsonSerializer.Deserialize<JsonElement>(row.Draft),
            row.Shown is { } shown ? JsonSerializer.Deserialize<JsonElement>(shown) : null,
            Findings((await FormDesk.CheckAsync(db, row.Draft, stop)).Findings),
            await db.Submissions.CountAsync(s => s.FormId == row.Id && s.Status == SubmissionStates.Taken, stop),
            row.By
        );

    private static async Task<Results<Ok<FormDto>, ValidationProblem>> Create(NewFormBody body, GerminalDb db, PublicLinks links, Caller caller, CancellationToken stop)
    {
        var name = body.Name.Trim();
        if (name.Length == 0)
        {
            return Problems.Field("name", Said("Give it a name."));
        }

        var row = new FormRow
        {
            Id = Guid.CreateVersion7(),
            PracticeId = caller.PracticeId,
            Name = name,
            Slug = FormDesk.NewSlug(name),
            Draft = Core.Forms.FormFile.Write(FormDesk.Begin(name)).ToJsonString(),
            By = caller.Name,
            ChangedAt = await PracticeClock.NowAsync(db, stop),
        };
        db.Forms.Add(row);
        return await SaveAsync(db, name, stop) is { } taken ? taken : TypedResults.Ok(await DtoAsync(db, row, links, stop));
    }

    private static async Task<ValidationProblem?> SaveAsync(GerminalDb db, string name, CancellationToken stop)
    {
        try
        {
            await db.SaveChangesAsync(stop);
            return null;
        }
        catch (DbUpdateException e) when (e.InnerException is Npgsql.PostgresException { SqlState: Npgsql.PostgresErrorCodes.UniqueViolation })
        {
            return Problems.Field("name", KeptSaving.Taken(Said("a form"), name));
        }
    }

    /// <summary>The draft as text, where it is an object that is not too long.</summary>
    private static (string? Text, string? Problem) TextOf(JsonElement? written)
    {
        if (written is not { ValueKind: JsonValueKind.Object } draft)
        {
            return (null, Said("A form file is a JSON object."));
        }

        var text = draft.GetRawText();
        return text.Length > MostDraft ? (null, Said("A form is at most 200,000 letters long."))
            : text.Contains("\\u0000", StringComparison.Ordinal) ? (null, Said("It has a character that no text has (NUL)."))
            : (text, null);
    }

    private static async Task<Results<Ok<FormDto>, NotFound, ValidationProblem, ProblemHttpResult>> Save(Guid id, SaveFormBody body, GerminalDb db, PublicLinks links, Caller caller, CancellationToken stop)
    {
        if (await db.Forms.FirstOrDefaultAsync(f => f.Id == id, stop) is not { } row)
        {
            return TypedResults.NotFound();
        }

        if (row.Edition != body.Edition)
        {
            return Problems.Conflict(Say($"{row.By} has changed this form since you opened it. What you wrote is still here; load the page again to see their version."));
        }

        var (text, problem) = TextOf(body.Draft);
        if (text is null)
        {
            return Problems.Field("draft", problem!);
        }

        var name = body.Draft!.Value.TryGetProperty("name", out var said) && said.ValueKind == JsonValueKind.String ? said.GetString()!.Trim() : "";
        if (name.Length is 0 or > Lengths.Name)
        {
            return Problems.Field("name", Said("Give it a name, of at most 200 letters."));
        }

        row.Name = name;
        row.Draft = text;
        row.Edition++;
        row.By = caller.Name;
        row.ChangedAt = await PracticeClock.NowAsync(db, stop);
        return await SaveAsync(db, name, stop) is { } taken ? taken : TypedResults.Ok(await DtoAsync(db, row, links, stop));
    }

    /// <summary>The page as it would be seen, before anything is saved; of a form that cannot be read, what is wrong.</summary>
    private static async Task<Results<Ok<FormPreviewDto>, ValidationProblem>> Preview(PreviewFormBody body, GerminalDb db, CancellationToken stop)
    {
        var (text, problem) = TextOf(body.Draft);
        if (text is null)
        {
            return Problems.Field("draft", problem!);
        }

        var (form, findings) = await FormDesk.CheckAsync(db, text, stop);
        var practice = await db.Practices.AsNoTracking().SingleAsync(p => p.Id == db.PracticeId, stop);
        return TypedResults.Ok(new FormPreviewDto(form is null ? "" : FormHtml.Page(form, practice, new FormShowing(null, null)), Findings(findings)));
    }

    private static async Task<Results<Ok<FormDto>, NotFound, ValidationProblem>> Show(Guid id, GerminalDb db, PublicLinks links, Caller caller, CancellationToken stop)
    {
        if (await db.Forms.FirstOrDefaultAsync(f => f.Id == id, stop) is not { } row)
        {
            return TypedResults.NotFound();
        }

        var (form, findings) = await FormDesk.CheckAsync(db, row.Draft, stop);
        if (form is null || findings.Any(f => !f.IsWarning))
        {
            return Problems.Field("draft", Say($"It cannot be shown yet: {findings.First(f => !f.IsWarning).Message}"));
        }

        row.Shown = row.Draft;
        row.ShownVersion++;
        row.By = caller.Name;
        await using var transaction = await db.Database.BeginTransactionAsync(stop);
        await db.SaveChangesAsync(stop);

        // Letters lead to it by its name, and some may have waited for it.
        await LettersChanged.AfterAsync(db, stop);
        await transaction.CommitAsync(stop);
        return TypedResults.Ok(await DtoAsync(db, row, links, stop));
    }

    private static async Task<Results<NoContent, NotFound>> Hide(Guid id, GerminalDb db, CancellationToken stop)
    {
        await using var transaction = await db.Database.BeginTransactionAsync(stop);
        if (await db.Forms.Where(f => f.Id == id).ExecuteUpdateAsync(u => u.SetProperty(f => f.Shown, (string?)null), stop) == 0)
        {
            return TypedResults.NotFound();
        }

        await LettersChanged.AfterAsync(db, stop);
        await transaction.CommitAsync(stop);
        return TypedResults.NoContent();
    }

    private static async Task<Results<NoContent, NotFound, ProblemHttpResult>> Delete(Guid id, GerminalDb db, CancellationToken stop)
    {
        if (await db.Forms.AsNoTracking().FirstOrDefaultAsync(f => f.Id == id, stop) is not { } row)
        {
            return TypedResults.NotFound();
        }

        if (row.Shown is not null)
        {
            return Problems.Conflict(Say($"Everybody sees “{row.Name}”. Take it back first."));
        }

        if (await db.Submissions.AnyAsync(s => s.FormId == id && s.Status != SubmissionStates.Nothing, stop))
        {
            return Problems.Conflict(Say($"What people sent by “{row.Name}” is kept with it. Leave it taken back instead."));
        }

        await db.Forms.Where(f => f.Id == id).ExecuteDeleteAsync(stop);
        return TypedResults.NoContent();
    }

    private static async Task<Results<Ok<SubmissionsDto>, NotFound, ValidationProblem>> Submissions(Guid id, string? state, string? after, GerminalDb db, CancellationToken stop)
    {
        if (!await db.Forms.AnyAsync(f => f.Id == id, stop))
        {
            return TypedResults.NotFound();
        }

        var all = db.Submissions.AsNoTracking().Where(s => s.FormId == id);
        all =
            state is "apart" ? all.Where(s => s.Status == SubmissionStates.Doubtful || s.Status == SubmissionStates.Waiting)
            : state is { Length: > 0 } ? all.Where(s => s.Status == state)
            : all.Where(s => s.Status != SubmissionStates.Nothing);
        if (after is not null)
        {
            if (!Guid.TryParse(after, out var last) || await db.Submissions.AsNoTracking().FirstOrDefaultAsync(s => s.Id == last && s.FormId == id, stop) is not { } row)
            {
                return Problems.Field("after", Said("This is no place in the table; begin again without it."));
            }

            all = all.Where(s => EF.Functions.LessThan(ValueTuple.Create(s.At, s.Id), ValueTuple.Create(row.At, row.Id)));
        }

        var rows = await all.OrderByDescending(s => s.At).ThenByDescending(s => s.Id).Take(Page + 1).ToListAsync(stop);
        var names = await db.NamesAsync([.. rows.Select(r => r.PersonId).OfType<Guid>().Distinct()], stop);
        return TypedResults.Ok(
            new SubmissionsDto(
                [
                    .. rows.Take(Page).Select(s => new SubmissionLine(
                        s.Id,
                        s.At.Iso(),
                        s.Status,
                        s.Doubt,
                        s.PersonId,
                        s.PersonId is { } person ? names.GetValueOrDefault(person) : null,
                        s.Answers,
                        s.CameFrom
                    )),
                ],
                rows.Count > Page ? rows[Page - 1].Id.ToString() : null
            )
        );
    }

    private sealed record Chosen(string Question, string Answer, int Count);

    /// <summary>What was chosen, counted by the database: of choices, several choices, yes or no, and consent.</summary>
    private static async Task<Results<Ok<IReadOnlyList<QuestionCounts>>, NotFound>> Counts(Guid id, GerminalDb db, CancellationToken stop)
    {
        if (await db.Forms.AsNoTracking().FirstOrDefaultAsync(f => f.Id == id, stop) is not { } row)
        {
            return TypedResults.NotFound();
        }

        var form = Core.Forms.FormFile.Read(row.Shown ?? row.Draft).Form;
        var questions = form?.Questions.Where(q => q.Kind is QuestionKind.Choice or QuestionKind.Choices or QuestionKind.YesNo or QuestionKind.Consent).ToList() ?? [];
        var chosen = await db
            .Database.SqlQuery<Chosen>(
                $"""
                SELECT a ->> 'question' AS question, btrim(c) AS answer, count(*)::int AS count
                FROM submissions s, jsonb_array_elements(s.answers) a, unnest(string_to_array(a ->> 'value', ';')) c
                WHERE s.form_id = {id} AND s.practice_id = {db.PracticeId} AND s.status = 'taken' AND a ->> 'question' = ANY({questions.Select(q => q.Id).ToArray()})
                GROUP BY 1, 2
                """
            )
            .ToListAsync(stop);
        var taken = await db.Submissions.CountAsync(s => s.FormId == id && s.Status == SubmissionStates.Taken, stop);
        return TypedResults.Ok<IReadOnlyList<QuestionCounts>>(
            [
                .. questions.Select(q =>
                {
                    var own = chosen.Where(c => c.Question == q.Id).ToList();
                    IEnumerable<string> options =
                        q.Options.Count > 0 ? q.Options
                        : q.Kind == QuestionKind.YesNo ? ["yes", "no"]
                        : ["yes"];
                    var listed = options.Concat(own.Select(c => c.Answer)).Distinct(StringComparer.OrdinalIgnoreCase);
                    return new QuestionCounts(
                        q.Id,
                        q.Ask,
                        taken,
                        [.. listed.Select(o => new AnswerCount(o, own.Where(c => string.Equals(c.Answer, o, StringComparison.OrdinalIgnoreCase)).Sum(c => c.Count)))]
                    );
                }),
            ]
        );
    }

    /// <summary>Everything that was sent, as CSV; a column for each question that was ever asked.</summary>
    private static async Task<IResult> Export(Guid id, GerminalDb db, CancellationToken stop)
    {
        if (await db.Forms.AsNoTracking().FirstOrDefaultAsync(f => f.Id == id, stop) is not { } row)
        {
            return Results.NotFound();
        }

        var asked = (Core.Forms.FormFile.Read(row.Shown ?? row.Draft).Form?.Questions ?? []).Select(q => (q.Id, q.Ask)).ToList();
        var gone = await db
            .Database.SqlQuery<string>($"""SELECT DISTINCT a ->> 'question' AS "Value" FROM submissions s, jsonb_array_elements(s.answers) a WHERE s.form_id = {id} AND s.practice_id = {db.PracticeId}""")
            .ToListAsync(stop);
        asked.AddRange(gone.Where(g => asked.TrueForAll(a => a.Id != g)).Order(StringComparer.Ordinal).Select(g => (g, g)));
        return Results.Stream(
            async output =>
            {
                await using var text = new StreamWriter(output, new UTF8Encoding(true), leaveOpen: true);
                await using var csv = CsvText.Writer(text);
                csv.WriteRow(["sent", "state", "person", .. asked.Select(a => a.Ask), "page"]);
                await foreach (var s in db.Submissions.AsNoTracking().Where(s => s.FormId == id && s.Status != SubmissionStates.Nothing).OrderBy(s => s.At).ThenBy(s => s.Id).AsAsyncEnumerable().WithCancellation(stop))
                {
                    csv.WriteRow([s.At.Iso(), s.Status, s.PersonId?.ToString() ?? "", .. asked.Select(a => s.Answers.FirstOrDefault(x => x.Question == a.Id)?.Value ?? ""), s.CameFrom ?? ""]);
                }
            },
            "text/csv; charset=utf-8",
            $"{row.Name}.csv"
        );
    }

    private static async Task<IResult> File(Guid id, GerminalDb db, CancellationToken stop) =>
        await db.Forms.AsNoTracking().FirstOrDefaultAsync(f => f.Id == id, stop) is { } row ? Results.File(Encoding.UTF8.GetBytes(row.Draft), "application/json", $"{row.Name}.form.json") : Results.NotFound();

    private static async Task<IResult> CodeAsync(Guid id, GerminalDb db, PublicLinks links, Func<string, IResult> draw, CancellationToken stop) =>
        await db.Forms.Where(f => f.Id == id).Select(f => f.Slug).FirstOrDefaultAsync(stop) is { } slug ? draw(links.Form(slug)) : Results.NotFound();

    /// <summary>A sheet to be laid out at a talk: on A4, or with <c>letter</c> on US Letter.</summary>
    private static async Task<IResult> Sheet(Guid id, bool? letter, GerminalDb db, PublicLinks links, CancellationToken stop)
    {
        if (await db.Forms.AsNoTracking().FirstOrDefaultAsync(f => f.Id == id, stop) is not { } row)
        {
            return Results.NotFound();
        }

        if (Core.Forms.FormFile.Read(row.Shown ?? row.Draft).Form is not { } form)
        {
            return Problems.Conflict(Said("The form is not in order yet; its page says what is wrong."));
        }

        var practice = await db.Practices.AsNoTracking().SingleAsync(p => p.Id == db.PracticeId, stop);
        var asked = form.Questions.Where(q => q.Kind is not (QuestionKind.Hidden or QuestionKind.File or QuestionKind.LongText or QuestionKind.Consent)).Take(5).Select(q => q.Ask).ToList();
        var consent = form.Questions.Where(q => q.Kind == QuestionKind.Consent).Select(q => q.Ask).ToList();
        return Results.File(
            SignUpSheet.Pdf(form.Heading, form.Words, [.. asked, .. consent.Count > 0 ? ["Yes"] : Array.Empty<string>()], consent, links.Form(row.Slug), practice.Name, letter == true),
            "application/pdf",
            $"{row.Name}.pdf"
        );
    }

    private static async Task<Results<NoContent, NotFound>> Allow(Guid id, GerminalDb db, FormIntake intake, CancellationToken stop) => await intake.AllowAsync(db, id, stop) ? TypedResults.NoContent() : TypedResults.NotFound();

    private static async Task<Results<NoContent, NotFound>> Nothing(Guid id, GerminalDb db, CancellationToken stop) =>
        await db
            .Submissions.Where(s => s.Id == id && (s.Status == SubmissionStates.Doubtful || s.Status == SubmissionStates.Waiting))
            .ExecuteUpdateAsync(u => u.SetProperty(s => s.Status, SubmissionStates.Nothing), stop) == 1
            ? TypedResults.NoContent()
            : TypedResults.NotFound();

    /// <summary>A member decides that what was sent is right: it takes the place of what stands at the person (rule 17.2, <i>ask</i>).</summary>
    private static async Task<Results<NoContent, NotFound, ValidationProblem>> TakeOver(Guid id, GerminalDb db, Caller caller, CancellationToken stop)
    {
        await using var transaction = await db.Database.BeginTransactionAsync(stop);
        if (await db.Submissions.FirstOrDefaultAsync(s => s.Id == id && s.Status == SubmissionStates.Taken, stop) is not { PersonId: { } person } row)
        {
            return TypedResults.NotFound();
        }

        var problems = await FormTaking.TakeOverAsync(db, row, person, caller.Name, await PracticeClock.NowAsync(db, stop), stop);
        if (problems.Count > 0)
        {
            return Problems.Fields(problems);
        }

        await transaction.CommitAsync(stop);
        return TypedResults.NoContent();
    }
}
