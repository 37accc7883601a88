using Germinal.Core.Contact;
using Germinal.Core.Forms;
using Germinal.Service.Engine;
using Germinal.Service.Incoming;
using Germinal.Service.Inquiries;
using Germinal.Service.Letters;
using Germinal.Service.Mails;
using Germinal.Service.People;
using Germinal.Store;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Service.Forms;

/// <summary>
/// Makes of a submission what rule 17.1 says: a person (found or new), their consent, what follows by the form, and an inquiry or a sign-up; all in the
/// caller's transaction.
/// </summary>
public sealed class FormTaking(InquiryActs acts)
{
    private static string By => Said("the sender");

    /// <summary>Takes a submission. Its row is tracked, and has no person yet.</summary>
    /// <param name="db">A context of the practice, in a transaction.</param>
    /// <param name="shown">The form.</param>
    /// <param name="row">What was sent.</param>
    /// <param name="proven">Whom a link in a letter proved it to be of; null for nobody.</param>
    /// <param name="now">Practice time.</param>
    /// <param name="stop">Gives up.</param>
    /// <param name="among">Whom it may be of, where they have been looked up under their lock already.</param>
    public async Task TakeAsync(GerminalDb db, ShownForm shown, SubmissionRow row, Guid? proven, Instant now, CancellationToken stop, IReadOnlyList<KnownSender>? among = null)
    {
        var form = shown.Form;
        var answers = AnswersOf(row);
        var desk = new PeopleDesk(db, By, now);
        var asking = AskingOf(form, answers);
        if (among is null)
        {
            await WhoAsks.LockAsync(db, asking, stop);
        }

        var (person, isNew) = proven is { } known
            ? (await db.People.SingleAsync(p => p.Id == known, stop), false)
            : await WhoAsks.FindOrMakeAsync(db, desk, asking, form.Name, stop, among);
        if (!isNew)
        {
            // What came with it and is of the same person is saved before they are read again.
            await db.SaveChangesAsync(stop);
            await PersonLock.TakeAsync(db, person.Id, stop);
            await db.Entry(person).ReloadAsync(stop);
        }

        // What somebody changes on a form that their own link filled is seen as theirs.
        var way = proven is not null ? KnownValues.TakeOver : form.Known;

        // Somebody new has been made of it already, but for what stands apart from their names and addresses.
        var taken = await PutInAsync(db, desk, person, form, answers, way, stop, isNew);
        (row.PersonId, row.Status) = (person.Id, SubmissionStates.Taken);
        var isInquiry = answers.IsInquiry(form);
        if (isNew && !isInquiry)
        {
            person.OwnerId ??= await InquiryGiving.OwnerOfAsync(db, person, shown.Id, form.Topic, now, stop);
        }

        db.Events.Add(desk.NewNote(person.Id, EventKinds.FormSent, ("form", form.Name), ("submission", row.Id.ToString()), ("text", Words(row, taken))));
        await ConsentAsync(db, desk, person.Id, form, answers, stop);
        InquiryRow? inquiry = null;
        if (isInquiry)
        {
            inquiry = await new DealingsDesk(db, desk, now).InquireAsync(person.Id, form.Name, "form", InquiryWords(form, row), stop, new Arrival(shown.Id, form.Topic, row.Id, null, row.TouchId, isNew));
        }
        else
        {
            await db.SaveStepAsync(stop);
        }

        if (form.Tags.Count > 0 || form.List is not null || form.Program is not null || form.Opportunity is not null || form.AnswersItself != AnswersItself.Never || taken.Any(t => t.Taking == Taking.Asked))
        {
            // What follows asks the database for them.
            await db.SaveChangesAsync(stop);
        }

        await FollowAsync(db, desk, person, form, isInquiry, now, stop);
        if (taken.Any(t => t.Taking == Taking.Asked))
        {
            await Notices.TellAsync(db, "asked", person.OwnerId, person.Id, Say($"By “{form.Name}”: {Differences(taken)}. Nothing was changed; take it over where you think it is right."), $"form-asks/{row.Id}", now, stop);
        }

        if (inquiry is not null)
        {
            if (person.Email is not null)
            {
                await InquiryConsent.AddAsync(db, desk, person.Id, Channel.Email, Say($"asked by the form “{form.Name}”"), inquiry.Text, stop, isNew);
            }

            await AnswerByItselfAsync(db, desk, form, inquiry, person, now, stop);
        }
    }

    /// <summary>Puts what was sent in the place of what stands at the person, as a member decided. The caller has a transaction open.</summary>
    /// <returns>What keeps it from being put there, with its field.</returns>
    public static async Task<IReadOnlyList<(string Field, string Message)>> TakeOverAsync(GerminalDb db, SubmissionRow row, Guid personId, string by, Instant now, CancellationToken stop)
    {
        var form = await db.Forms.AsNoTracking().SingleAsync(f => f.Id == row.FormId, stop);
        if ((FormShelf.Of(form)?.Form ?? FormFile.Read(form.Draft).Form) is not { } written)
        {
            return [("draft", Said("The form is not in order; its page says what is wrong."))];
        }

        await PersonLock.TakeAsync(db, personId, stop);
        var person = await db.People.SingleAsync(p => p.Id == personId, stop);
        var (taken, problems) = await PutAsync(db, person, written, AnswersOf(row), KnownValues.TakeOver, isNew: false, stop);
        if (problems.Count > 0 || !taken.Any(IsPut))
        {
            return problems;
        }

        var desk = new PeopleDesk(db, by, now);
        var replaced = string.Join(", ", taken.Where(t => t.Taking == Taking.Replaced).Select(t => $"{t.Answer} (before: {t.Before})"));
        db.Events.Add(desk.NewNote(personId, EventKinds.Remark, ("text", Say($"Taken over from “{written.Name}”{(replaced.Length > 0 ? $": {replaced}" : "")}"))));
        await NotePutAsync(db, desk, person, taken, stop);
        return [];
    }

    private static FormAnswers AnswersOf(SubmissionRow row) => new(row.Answers.ToDictionary(a => a.Question, a => a.Value, StringComparer.Ordinal), new Dictionary<string, string>());

    /// <summary>Who a submission says it is from.</summary>
    public static Asking AskingOf(Form form, FormAnswers answers)
    {
        var places = answers.ForPerson(form).ToLookup(a => a.Place.Field, a => a.Value, StringComparer.Ordinal);
        string? At(string field) => places[field].LastOrDefault();
        return new Asking(At("first-name"), At("last-name"), At("email"), At("mobile"));
    }

    private static bool IsPut(TakenAnswer answer) => answer.Taking is Taking.Filled or Taking.Replaced;

    /// <summary>Puts answers where they go at the person, saved, and says what became of each. One whose field has been taken away since, or takes other values now, stays where it was sent.</summary>
    public static async Task<IReadOnlyList<TakenAnswer>> PutInAsync(GerminalDb db, PeopleDesk desk, PersonRow person, Form form, FormAnswers answers, KnownValues way, CancellationToken stop, bool isNew = false)
    {
        var (taken, _) = await PutAsync(db, person, form, answers, way, isNew, stop);
        await NotePutAsync(db, desk, person, taken, stop);
        return taken;
    }

    /// <summary>Puts answers where they go at the person, in one of the three ways; each is checked as what is typed is. Nothing is saved yet.</summary>
    /// <returns>What becomes of each, and what keeps one from standing there, with its field.</returns>
    private static async Task<(IReadOnlyList<TakenAnswer> Taken, IReadOnlyList<(string Field, string Message)> Problems)> PutAsync(
        GerminalDb db,
        PersonRow person,
        Form form,
        FormAnswers answers,
        KnownValues way,
        bool isNew,
        CancellationToken stop
    )
    {
        var dates = isNew ? [] : await db.KeyDates.AsNoTracking().Where(d => d.PersonId == person.Id).ToListAsync(stop);
        var taken = TakenIn.Of(answers.ForPerson(form), place => FormPlaces.Known(person, dates, place), way);
        var put = taken.Where(IsPut).ToList();
        return (taken, put.Count == 0 ? [] : await PersonEdit.ApplyAsync(db, person, FormPlaces.Fields(put), stop));
    }

    /// <summary>Saves what was put at the person, and has the engine look at them anew.</summary>
    private static async Task NotePutAsync(GerminalDb db, PeopleDesk desk, PersonRow person, IReadOnlyList<TakenAnswer> taken, CancellationToken stop)
    {
        if (!taken.Any(IsPut))
        {
            return;
        }

        person.Edition++;
        db.Events.Add(desk.NewEvent(person.Id, new Core.Engine.FactsChanged(desk.Now)));
        await db.SaveChangesAsync(stop);
        if (taken.Any(t => IsPut(t) && t.Place.Field.StartsWith(FormWords.KeyDate, StringComparison.Ordinal)))
        {
            await Clock.PracticeClock.LookAgainAsync(db, [person.Id], stop);
        }
    }

    private static string Words(SubmissionRow row, IReadOnlyList<TakenAnswer> taken)
    {
        var lines = row.Answers.Select(a => a.Sentence());
        var replaced = taken.Where(t => t.Taking == Taking.Replaced).Select(t => $"(before: {t.Before})");
        var left = taken.Where(t => t.Taking is Taking.Left or Taking.Asked).Select(t => Say($"(not taken over: {t.Answer}; {t.Before} stays)"));
        return string.Join('\n', lines.Concat(replaced).Concat(left));
    }

    private static string Differences(IEnumerable<TakenAnswer> taken) =>
        string.Join(", ", taken.Where(t => t.Taking == Taking.Asked).Select(t => Say($"“{t.Answer}” where “{t.Before}” stands")));

    /// <summary>What the inquiry asks: its long answers, else everything that is answered.</summary>
    private static string InquiryWords(Form form, SubmissionRow row)
    {
        var kinds = form.Questions.ToDictionary(q => q.Id, q => q.Kind, StringComparer.Ordinal);
        var asked = row.Answers.Where(a => kinds.TryGetValue(a.Question, out var kind) && kind == QuestionKind.LongText).Select(a => a.Value).ToList();
        return string.Join('\n', asked.Count > 0 ? asked : row.Answers.Where(a => kinds.TryGetValue(a.Question, out var kind) && kind is not (QuestionKind.Hidden or QuestionKind.Consent)).Select(a => a.Sentence()));
    }

    private static async Task ConsentAsync(GerminalDb db, PeopleDesk desk, Guid person, Form form, FormAnswers answers, CancellationToken stop)
    {
        foreach (var (consent, wording) in answers.Consent(form))
        {
            await desk.AddConsentAsync(person, ContactWords.Of(consent.Channel), "commercial", consent.Topic, true, "express", Say($"the form “{form.Name}”"), null, stop, wording);
        }
    }

    /// <summary>What the form itself does: tags, a list, a program, an opportunity. What has been taken away since is left out, and the form's page says so.</summary>
    private static async Task FollowAsync(GerminalDb db, PeopleDesk desk, PersonRow person, Form form, bool isInquiry, Instant now, CancellationToken stop)
    {
        foreach (var tag in form.Tags)
        {
            await desk.PutTagAsync([person.Id], tag, stop);
        }

        if (form.List is { } list)
        {
            await desk.JoinListAsync([person.Id], list, stop);
        }

        if (form.Program is { } program && await db.Programs.AsNoTracking().Where(p => p.Name == program).Select(p => (Guid?)p.Id).FirstOrDefaultAsync(stop) is { } id)
        {
            await desk.StartProgramAsync([person.Id], id, bySwitchingOn: false, stop);
        }

        if (isInquiry && form.Opportunity is { } stage && (await db.OwnPracticeAsync(stop)).Settings.HasStage(stage))
        {
            await new DealingsDesk(db, desk, now).OpenOpportunityAsync(person.Id, form.Name, stage, person.OwnerId, stop);
        }
    }

    /// <summary>Rule 17.5: at once, by a transactional letter, once a person and day; the inquiry stays unanswered.</summary>
    private async Task AnswerByItselfAsync(GerminalDb db, PeopleDesk desk, Form form, InquiryRow inquiry, PersonRow person, Instant now, CancellationToken stop)
    {
        if (form is not { AnswersItself: not AnswersItself.Never, AnswerLetter: { } name })
        {
            return;
        }

        var (practice, settings) = await PracticeReading.LoadWithSettingsAsync(db, stop);
        if (form.AnswersItself == AnswersItself.OutsideHours && ReachedHours.Of(settings, practice).AreOpen(now))
        {
            return;
        }

        var today = now.InZone(practice.Zone).Date.AtStartOfDayInZone(practice.Zone).ToInstant();
        if (await db.OwnMails.AnyAsync(m => m.PersonId == person.Id && m.Kind == OwnMailKinds.ByItself && m.CreatedAt >= today, stop))
        {
            return;
        }

        var facts = (await FactsReading.LoadAsync(db, [person.Id], stop))[person.Id];
        if (!(await LetterShelf.LoadAsync(db, stop)).TryGetValue(name, out var letter) || await InquiryActs.MayNotAsync(db, person, facts, practice, now, stop) is not null)
        {
            return;
        }

        var mailId = Guid.CreateVersion7();
        var sender = practice.Members.FirstOrDefault(m => m.Id == inquiry.OwnerId);
        var ready = acts.Fill((letter.Name, letter.Subject, letter.Body), facts, practice, sender, mailId, now, person.Email!);
        if (ready.Problem is { } problem)
        {
            await Notices.TellAsync(db, "own-mail", inquiry.OwnerId, person.Id, Say($"“{form.Name}” could not answer {person.Name} by itself: {problem}"), $"by-itself/{inquiry.Id}", now, stop);
            return;
        }

        await InquiryActs.SendAsync(db, desk, inquiry, inquiry.OwnerId, OwnMailKinds.ByItself, ready, mailId, stop);
    }
}
