using Germinal.Channels;
using Germinal.Core.Forms;
using Germinal.Service.Clock;
using Germinal.Service.Import;
using Germinal.Service.Inquiries;
using Germinal.Service.Letters;
using Germinal.Service.Mails;
using Germinal.Store;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Service.Forms;

/// <summary>What became of what somebody sent. Closed.</summary>
public enum FormOutcome
{
    /// <summary>It was taken, or waits apart: its sender is thanked either way.</summary>
    Thanks,

    /// <summary>Its sender was asked by mail whether it was really them.</summary>
    ConfirmAsked,

    /// <summary>It waits for a place.</summary>
    OnWaitingList,

    /// <summary>The form takes no more.</summary>
    Closed,

    /// <summary>Something has to be put right.</summary>
    Problems,
}

/// <summary>A file that came with a form.</summary>
public sealed record SentFile(string Question, string Name, byte[] Content)
{
    /// <summary>What it is, by its content, or why it is not taken.</summary>
    public (FileKind? Kind, string? Problem) Told { get; } =
        Content.Length == 0 ? (null, Say($"“{Name}” is empty."))
        : Content.Length > FormIntake.MostBytes ? (null, Say($"“{Name}” is larger than 10 MB, which is the most. Send a smaller one."))
        : FileKind.Of(Content, Name);
}

/// <summary>What was posted, and how.</summary>
/// <param name="Fields">By question, each value in its order.</param>
/// <param name="Files">Files, at most <see cref="FormIntake.MostFiles"/>.</param>
/// <param name="Token">The page's mark; already read.</param>
/// <param name="IsWorked">Whether the page did its work.</param>
/// <param name="HiddenFilled">Whether the field was filled that nobody sees.</param>
/// <param name="TooMany">Whether more came than people send.</param>
/// <param name="TouchId">The message whose link led here; null for none.</param>
/// <param name="Proven">Whom that link proves it to be of; null for nobody.</param>
/// <param name="CameFrom">The page the form stood in.</param>
public sealed record Posted(
    IReadOnlyDictionary<string, IReadOnlyList<string>> Fields,
    IReadOnlyList<SentFile> Files,
    FormToken Token,
    bool IsWorked,
    bool HiddenFilled,
    bool TooMany,
    Guid? TouchId = null,
    Guid? Proven = null,
    string? CameFrom = null
);

/// <summary>What became of it, and what has to be put right.</summary>
public sealed record FormResult(FormOutcome Outcome, FormAnswers Answers);

/// <summary>Takes in what is sent by forms: reads it, looks whether a person sent it, counts it, and makes of it what it is (rules 17.1 to 17.4).</summary>
public sealed class FormIntake
{
    private readonly IDbContextFactory<GerminalDb> databases;
    private readonly FormTaking taking;
    private readonly PublicLinks links;

    // What comes by one form at one moment is taken together: under load its cost is shared.
    private readonly Together<(Guid Form, int Version), Coming, FormResult> together;

    /// <summary>For the whole of the process: those who come by one form wait in one line.</summary>
    public FormIntake(IDbContextFactory<GerminalDb> databases, FormTaking taking, PublicLinks links)
    {
        (this.databases, this.taking, this.links) = (databases, taking, links);
        together = new(MostTogether, RoundsAtOnce, (one, others) => others.All(one.IsApartFrom), TakeRoundAsync);
    }

    /// <summary>The most files of one submission.</summary>
    public const int MostFiles = 5;

    /// <summary>The most bytes of one file.</summary>
    public const int MostBytes = 10 * 1024 * 1024;

    /// <summary>How long the link of a confirmation works (rule 17.3).</summary>
    public static readonly Duration ConfirmWithin = Duration.FromDays(7);

    /// <summary>Unconfirmed ones are deleted after so long (rule 17.3).</summary>
    public static readonly Duration KeptUnconfirmed = Duration.FromDays(30);

    private static readonly Duration BetweenConfirmations = Duration.FromHours(1);

    /// <summary>Reads what was posted: answers, and what is wrong with them.</summary>
    public static FormAnswers Read(Form form, IReadOnlyDictionary<string, IReadOnlyList<string>> fields, IReadOnlyList<SentFile> files, string region)
    {
        var posted = fields.ToDictionary(f => f.Key, f => f.Value, StringComparer.Ordinal);
        foreach (var file in files)
        {
            posted[file.Question] = [file.Name];
        }

        var answers = FormAnswers.Read(form, posted, typed => CellReading.Phone(typed, region) is { Doubt: null, Value.Number: { } number } ? number : null);
        var problems = answers.Problems.ToDictionary(p => p.Key, p => p.Value, StringComparer.Ordinal);
        foreach (var file in files.Where(f => answers.Values.ContainsKey(f.Question)))
        {
            if (file.Told.Problem is { } problem)
            {
                problems[file.Question] = problem;
            }
        }

        return answers with { Problems = problems };
    }

    // The index by which a page is one submission, however often it is sent.
    private const string OnePage = "ix_submissions_form_id_key";

    private const int MostTries = 4;

    /// <summary>The most that are taken in one round.</summary>
    public const int MostTogether = 32;

    // One works while the other waits for the database.
    private const int RoundsAtOnce = 2;

    /// <summary>A submission that is in order, and waits to be taken.</summary>
    private sealed record Coming(ShownForm Shown, PracticeRow Practice, Posted Posted, FormAnswers Answers, Asking Asking, string Print, Instant Now)
    {
        /// <summary>Whether two can be taken in one round: nothing of one says anything of the other.</summary>
        public bool IsApartFrom(Coming other) =>
            Posted.Token.Key != other.Posted.Token.Key
            && (Asking.Email is null || Asking.Email != other.Asking.Email)
            && (Asking.Mobile is null || Asking.Mobile != other.Asking.Mobile)
            && (Print.Length == 0 || Print != other.Print);
    }

    /// <summary>Takes one in. What was sent whole is taken even where its sender does not wait for the answer.</summary>
    /// <param name="shown">The form.</param>
    /// <param name="practice">Whose it is.</param>
    /// <param name="posted">What was sent.</param>
    /// <param name="now">Practice time.</param>
    public async Task<FormResult> TakeAsync(ShownForm shown, PracticeRow practice, Posted posted, Instant now)
    {
        var answers = Read(shown.Form, posted.Fields, posted.Files, practice.Settings.PhoneRegion);
        if (answers.Problems.Count > 0)
        {
            return new FormResult(FormOutcome.Problems, answers);
        }

        if (shown.Form.Opens > now || shown.Form.Closes <= now)
        {
            return new FormResult(FormOutcome.Closed, answers);
        }

        var written = shown.Form.Questions.Where(q => q.Kind is QuestionKind.Text or QuestionKind.LongText && q.Into is null && answers.Values.ContainsKey(q.Id)).Select(q => answers.Values[q.Id]);
        return await together.DoAsync((shown.Id, shown.Version), new Coming(shown, practice, posted, answers, FormTaking.AskingOf(shown.Form, answers), FormDoubts.PrintOf(written), now));
    }

    /// <summary>Takes a round. One alone that meets a member who changes the same person, or another submission, is tried again: nobody has to send a form twice.</summary>
    private async Task<IReadOnlyList<FormResult>> TakeRoundAsync(IReadOnlyList<Coming> round)
    {
        for (var tried = 1; ; tried++)
        {
            try
            {
                return await TakeOnceAsync(round, CancellationToken.None);
            }
            catch (Exception e) when (round.Count == 1 && tried < MostTries && Tries.MayGoAgain(e))
            {
                // Nothing of it was written.
            }
            catch (DbUpdateException e) when (round.Count == 1 && e.InnerException is Npgsql.PostgresException { SqlState: Npgsql.PostgresErrorCodes.UniqueViolation, ConstraintName: OnePage })
            {
                // The same page, sent twice at one moment: the other is taken.
                return [new FormResult(FormOutcome.Thanks, round[0].Answers)];
            }
        }
    }

    private async Task<IReadOnlyList<FormResult>> TakeOnceAsync(IReadOnlyList<Coming> round, CancellationToken stop)
    {
        await using var db = await databases.CreateDbContextAsync(stop);
        db.Knows(round[0].Practice);

        // What fails is tried again as a whole, or refused as a whole: no step of it is gone back to, and all is written at the end.
        db.Database.AutoSavepointsEnabled = false;
        db.SavesAtTheEnd = true;
        await using var transaction = await db.Database.BeginTransactionAsync(stop);
        var before = await BeforeAsync(db, round, stop);
        List<Asking> asking = [.. round.Select(c => c.Asking)];
        await WhoAsks.LockAsync(db, asking, stop);
        var known = await WhoAsks.KnownAsync(db, asking, stop);
        await db.TakeConsentIdsAsync(round.Sum(c => c.Answers.Consent(c.Shown.Form).Count() + 1), stop);
        var results = new List<FormResult>();
        foreach (var (coming, then) in round.Zip(before))
        {
            results.Add(new FormResult(await TakeOneAsync(db, coming, then, known, stop), coming.Answers));
        }

        await db.SaveChangesAsync(stop);
        await transaction.CommitAsync(stop);
        return results;
    }

    private async Task<FormOutcome> TakeOneAsync(GerminalDb db, Coming coming, Before before, IReadOnlyList<KnownSender> known, CancellationToken stop)
    {
        var (shown, posted) = (coming.Shown, coming.Posted);
        if (before.Status is { } status)
        {
            return Again(status);
        }

        var row = await RowAsync(db, coming, before, stop);
        if (row.Doubt.Length == 0 && !await HasPlaceAsync(db, shown, stop))
        {
            if (!shown.Form.WaitingList)
            {
                return FormOutcome.Closed;
            }

            row.Status = SubmissionStates.Waiting;
        }

        db.Submissions.Add(row);
        db.SubmittedFiles.AddRange(FilesOf(coming, row));
        if (row.Status == SubmissionStates.Unconfirmed)
        {
            await AskAsync(db, shown, row, coming.Answers, coming.Now, stop);
        }
        else if (row.Status == SubmissionStates.Taken)
        {
            await taking.TakeAsync(db, shown, row, row.IsProven ? posted.Proven : null, coming.Now, stop, known);
        }

        return row.Status switch
        {
            SubmissionStates.Waiting => FormOutcome.OnWaitingList,
            SubmissionStates.Unconfirmed => FormOutcome.ConfirmAsked,
            _ => FormOutcome.Thanks,
        };
    }

    private static FormOutcome Again(string state) =>
        state switch
        {
            SubmissionStates.Unconfirmed => FormOutcome.ConfirmAsked,
            SubmissionStates.Waiting => FormOutcome.OnWaitingList,
            _ => FormOutcome.Thanks,
        };

    /// <summary>What came before by the same form: what became of the same page, and how often within a day the same words and the same address.</summary>
    private sealed record Before(string? Status, int SameWords, int OfAddress);

    private static Task<List<Before>> BeforeAsync(GerminalDb db, IReadOnlyList<Coming> round, CancellationToken stop)
    {
        var (form, day) = (round[0].Shown.Id, round[0].Now - Duration.FromDays(1));
        string[] keys = [.. round.Select(c => c.Posted.Token.Key)];
        string[] prints = [.. round.Select(c => c.Print)];
        string[] emails = [.. round.Select(c => c.Asking.Email ?? "")];
        return db
            .Database.SqlQuery<Before>(
                $"""
                SELECT (SELECT status FROM submissions WHERE form_id = {form} AND key = c.key) AS status,
                  CASE WHEN c.print = '' THEN 0 ELSE (SELECT count(*)::int FROM submissions WHERE form_id = {form} AND print = c.print AND at > {day}) END AS same_words,
                  CASE WHEN c.email = '' THEN 0 ELSE (SELECT count(*)::int FROM submissions WHERE form_id = {form} AND email = c.email AND at > {day}) END AS of_address
                FROM unnest({keys}, {prints}, {emails}) WITH ORDINALITY AS c(key, print, email, place) ORDER BY c.place
                """
            )
            .ToListAsync(stop);
    }

    private static async Task<SubmissionRow> RowAsync(GerminalDb db, Coming coming, Before before, CancellationToken stop)
    {
        var (shown, posted, answers) = (coming.Shown, coming.Posted, coming.Answers);
        var doubt = FormDoubts.Of(
            new SentHow(
                posted.HiddenFilled,
                SystemClock.Instance.GetCurrentInstant() - posted.Token.MadeAt,
                posted.IsWorked,
                string.Join('\n', answers.Values.Values),
                before.SameWords,
                before.OfAddress,
                posted.TooMany
            )
        );

        // A link in a letter proves the address; whoever says that they are somebody else by it is not the one it was written to.
        var proven = posted.Proven is { } id && await IsTheirsAsync(db, id, coming.Asking.FirstName, stop);
        return new SubmissionRow
        {
            Id = Guid.CreateVersion7(),
            PracticeId = shown.PracticeId,
            FormId = shown.Id,
            Key = posted.Token.Key,
            At = coming.Now,
            Status = doubt.Length > 0 ? SubmissionStates.Doubtful
                : shown.Form.DoubleOptIn && !proven ? SubmissionStates.Unconfirmed
                : SubmissionStates.Taken,
            Version = shown.Version,
            Answers = [.. shown.Form.Questions.Where(q => answers.Values.ContainsKey(q.Id)).Select(q => new SubmittedAnswer(q.Id, q.Ask, answers.Values[q.Id]))],
            Doubt = doubt,
            Email = coming.Asking.Email,
            Print = coming.Print,
            TouchId = posted.TouchId,
            IsProven = proven,
            CameFrom = posted.CameFrom,
        };
    }

    private static IEnumerable<SubmittedFileRow> FilesOf(Coming coming, SubmissionRow row) =>
        coming
            .Posted.Files.Where(f => coming.Answers.Values.ContainsKey(f.Question))
            .Select(f => new SubmittedFileRow
            {
                Id = Guid.CreateVersion7(),
                PracticeId = row.PracticeId,
                SubmissionId = row.Id,
                Question = f.Question,
                Name = f.Name,
                ContentType = f.Told.Kind!.Type,
                Bytes = f.Content.Length,
                Content = f.Content,
            });

    /// <summary>Whether whoever came by somebody's own link says the same first name.</summary>
    public static async Task<bool> IsTheirsAsync(GerminalDb db, Guid person, string? firstName, CancellationToken stop) =>
        await db.People.AsNoTracking().Where(p => p.Id == person && !p.Archived).Select(p => new { p.FirstName }).FirstOrDefaultAsync(stop) is { } known
        && (firstName is null || known.FirstName is null || string.Equals(known.FirstName.Trim(), firstName.Trim(), StringComparison.OrdinalIgnoreCase));

    /// <summary>Takes one of a form's places, where it has only so many: the row is locked, so that the count is exact (rule 17.4).</summary>
    private static async Task<bool> HasPlaceAsync(GerminalDb db, ShownForm shown, CancellationToken stop) =>
        shown.Form.Most is not { } most
        || await db.Forms.Where(f => f.Id == shown.Id && f.Taken < most).ExecuteUpdateAsync(u => u.SetProperty(f => f.Taken, f => f.Taken + 1), stop) == 1;

    /// <summary>Asks by mail whether it was really them: one question an address and hour, the others wait for theirs.</summary>
    private async Task AskAsync(GerminalDb db, ShownForm shown, SubmissionRow row, FormAnswers answers, Instant now, CancellationToken stop)
    {
        row.AskedAt = now;
        var address = row.Email!;
        if (await db.Suppressions.AnyAsync(s => s.Address == address, stop))
        {
            // Nothing goes there any more: it stays unconfirmed, and is deleted with the others.
            return;
        }

        var hour = now - BetweenConfirmations;
        var before = await db.OwnMails.CountAsync(m => m.ToAddress == address && m.Kind == OwnMailKinds.Confirmation && m.CreatedAt > hour, stop);
        var practice = await db.OwnPracticeAsync(stop);
        var title = shown.Form.Heading;
        var asking = FormTaking.AskingOf(shown.Form, answers);
        db.OwnMails.Add(
            new OwnMailRow
            {
                Id = Guid.CreateVersion7(),
                PracticeId = shown.PracticeId,
                Kind = OwnMailKinds.Confirmation,
                SubmissionId = row.Id,
                ToName = asking.FirstName ?? "",
                ToAddress = address,
                Subject = Say($"Was it you? {title}"),
                Text = string.Join(
                    "\n\n",
                    Say($"Somebody sent “{title}” to {practice.Name} with this address. If it was you, follow this link and press the button; it works for seven days:"),
                    links.FormConfirmation(row.Id),
                    Said("If it was not you, do nothing. Nothing is kept of it, and we do not write again."),
                    $"{practice.Name}\n{practice.Settings.PostalAddress}"
                ),
                CreatedAt = now,
                NextTry = SystemClock.Instance.GetCurrentInstant() + (BetweenConfirmations * before),
            }
        );
    }

    /// <summary>Why the link of a confirmation does nothing any more; null where it does.</summary>
    public static async Task<string?> OverAsync(GerminalDb db, SubmissionRow row, Instant now, CancellationToken stop) =>
        row.Status != SubmissionStates.Unconfirmed ? Said("This link has been used already; nothing is left to be done.")
        : now - row.AskedAt > ConfirmWithin ? Said("This link worked for seven days. Send the form again if you still want to.")
        : await db.Consent.AnyAsync(c => !c.IsIn && c.Channel == "email" && c.At >= row.AskedAt && db.People.Any(p => p.Id == c.PersonId && p.Email == row.Email), stop)
            ? Said("You have said no since this link was sent, and that holds. Send the form again if you have changed your mind.")
        : null;

    /// <summary>Its sender confirmed it: it is taken now, as one whose address is proven. Pressed twice at one moment is pressed once.</summary>
    /// <returns>False where it is over.</returns>
    public async Task<bool> ConfirmAsync(GerminalDb db, Guid id, CancellationToken stop)
    {
        await using var transaction = await db.Database.BeginTransactionAsync(stop);
        var now = await PracticeClock.NowAsync(db, stop);
        if (!await LockAsync(db, id, stop) || await db.Submissions.FirstOrDefaultAsync(s => s.Id == id, stop) is not { } row || await OverAsync(db, row, now, stop) is not null)
        {
            return false;
        }

        row.ConfirmedAt = now;
        await TakeLaterAsync(db, row, now, stop);
        await transaction.CommitAsync(stop);
        return true;
    }

    /// <summary>A member found that a person sent it, or gives it a place: it is taken as it was sent.</summary>
    /// <returns>False where it does not wait any more.</returns>
    public async Task<bool> AllowAsync(GerminalDb db, Guid id, CancellationToken stop)
    {
        await using var transaction = await db.Database.BeginTransactionAsync(stop);
        var now = await PracticeClock.NowAsync(db, stop);
        if (!await LockAsync(db, id, stop) || await db.Submissions.FirstOrDefaultAsync(s => s.Id == id && (s.Status == SubmissionStates.Doubtful || s.Status == SubmissionStates.Waiting), stop) is not { } row)
        {
            return false;
        }

        await TakeLaterAsync(db, row, now, stop);
        await transaction.CommitAsync(stop);
        return true;
    }

    private static async Task<bool> LockAsync(GerminalDb db, Guid id, CancellationToken stop) =>
        await db.Database.SqlQuery<Guid>($"""SELECT id AS "Value" FROM submissions WHERE id = {id} AND practice_id = {db.PracticeId} FOR UPDATE""").ToListAsync(stop) is [_];

    private async Task TakeLaterAsync(GerminalDb db, SubmissionRow row, Instant now, CancellationToken stop)
    {
        var form = await db.Forms.AsNoTracking().SingleAsync(f => f.Id == row.FormId, stop);

        // Taken by the form as it is shown now; one that is shown no more, as it was being written last.
        var shown = FormShelf.Of(form) ?? new ShownForm(form.Id, form.PracticeId, form.Slug, form.ShownVersion, form.Taken, FormFile.Read(form.Draft).Form ?? new Form { Name = form.Name, Questions = [] });
        await taking.TakeAsync(db, shown, row, null, now, stop);
        row.Doubt = "";
        await db.SaveChangesAsync(stop);
    }

    /// <summary>Deletes what nobody has confirmed in thirty days, of all practices, and gives its places back.</summary>
    public static Task ForgetUnconfirmedAsync(GerminalDb db, Instant now, CancellationToken stop)
    {
        var before = now - KeptUnconfirmed;
        return db.Database.ExecuteSqlAsync(
            $"""
            WITH gone AS (DELETE FROM submissions WHERE status = 'unconfirmed' AND asked_at < {before} RETURNING form_id)
            UPDATE forms f SET taken = greatest(0, taken - n.count) FROM (SELECT form_id, count(*)::int AS count FROM gone GROUP BY form_id) n WHERE f.id = n.form_id
            """,
            stop
        );
    }
}
