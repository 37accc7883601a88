using System.Collections.Concurrent;
using System.Collections.Frozen;
using System.Text.RegularExpressions;
using S = Germinal.Service.Journal.JournalSubjects;

namespace Germinal.Web.Journal;

/// <summary>How the journal tells of a call.</summary>
/// <param name="Words">What was done, with <c>{}</c> for the name of what it was done to.</param>
/// <param name="Kind">What that is, a word of <see cref="S"/>; null where it is nothing with a name.</param>
/// <param name="Key">Where its id is: a part of the address, or <c>=</c> for what the call makes.</param>
/// <param name="Afterwards">True where only the call itself finds out who does it.</param>
public sealed record JournalWord(string Words, string? Kind = null, string Key = "id", bool Afterwards = false);

/// <summary>
/// Every writing call of the API in the journal's words: the one table. A call that only looks, or that changes nothing but what the
/// member themselves sees, stands in <see cref="Silent"/>; a test walks all endpoints.
/// </summary>
public static partial class JournalWords
{
    internal const string Made = "=";

    /// <summary>Calls that are told, by method and address.</summary>
    public static FrozenDictionary<string, JournalWord> Told { get; } = new Dictionary<string, JournalWord>
    {
        ["POST /api/session"] = new("signed in", Afterwards: true),
        ["POST /api/session/code"] = new("signed in with a second factor", Afterwards: true),
        ["POST /api/session/passkey"] = new("signed in with a passkey", Afterwards: true),
        ["POST /api/session/begin"] = new("began the practice", Afterwards: true),
        ["POST /api/session/join"] = new("joined the practice", Afterwards: true),
        ["POST /api/session/password"] = new("chose a new password by a link", Afterwards: true),
        ["DELETE /api/session"] = new("signed out"),

        // Members.
        ["PUT /api/me/name"] = new("changed what they are called"),
        ["PUT /api/me/password"] = new("changed their password"),
        ["PUT /api/me/factor"] = new("set up a second factor"),
        ["POST /api/me/factor/end"] = new("ended their second factor"),
        ["POST /api/me/factor/recovery"] = new("made new recovery codes"),
        ["POST /api/me/passkeys"] = new("added a passkey"),
        ["DELETE /api/me/passkeys/{id}"] = new("took a passkey away"),
        ["DELETE /api/me/sessions"] = new("ended their other sessions"),
        ["DELETE /api/me/sessions/{id}"] = new("ended one of their sessions"),
        ["POST /api/members"] = new("invited {}", S.Member, Made),
        ["POST /api/members/{id}/invite"] = new("invited {} again", S.Member),
        ["PUT /api/members/{id}"] = new("changed what {} may or does", S.Member),
        ["POST /api/members/{id}/block"] = new("blocked {}", S.Member),
        ["POST /api/members/{id}/unblock"] = new("let {} in again", S.Member),
        ["POST /api/members/{id}/factor/end"] = new("ended the second factor of {}", S.Member),
        ["POST /api/members/{id}/hand-over"] = new("handed over what {} had", S.Member),
        ["PUT /api/members/factors"] = new("changed whether a second factor is asked for"),
        ["PUT /api/beginning/who"] = new("said who the practice is"),
        ["PUT /api/beginning/look"] = new("said how the practice looks"),
        ["PUT /api/beginning/mail"] = new("tried a mail server, to keep it if it works"),
        ["PUT /api/beginning/parts/{key}"] = new("put a part of the beginning off, or took it up"),
        ["PUT /api/beginning/shown"] = new("put the beginning away, or showed it again"),

        // People.
        ["POST /api/people"] = new("added {}", S.Person, Made),
        ["PATCH /api/people/{id}"] = new("changed what is known of {}", S.Person),
        ["POST /api/people/{id}/remarks"] = new("wrote a remark about {}", S.Person),
        ["POST /api/people/{id}/replies"] = new("noted an answer of {}", S.Person),
        ["POST /api/people/{id}/contact"] = new("said whether {} may be contacted", S.Person),
        ["POST /api/people/{id}/consent"] = new("recorded what {} wants to get", S.Person),
        ["POST /api/people/{id}/runs/{run}/pause"] = new("paused a program of {}", S.Person),
        ["POST /api/people/{id}/runs/{run}/resume"] = new("let a program of {} go on", S.Person),
        ["POST /api/people/{id}/runs/{run}/stop"] = new("stopped a program of {}", S.Person),
        ["POST /api/people/{id}/events/{happened}/undo"] = new("took back something about {}", S.Person),
        ["POST /api/people/{id}/household"] = new("put {} into a household", S.Person),
        ["PATCH /api/people/{id}/household"] = new("changed the household of {}", S.Person),
        ["DELETE /api/people/{id}/household"] = new("took {} out of a household", S.Person),
        ["POST /api/people/{id}/relations"] = new("noted who somebody is to {}", S.Person),
        ["DELETE /api/people/{id}/relations/{relation}"] = new("took away who somebody was to {}", S.Person),
        ["POST /api/people/{id}/merge"] = new("made one of {} and somebody else", S.Person),
        ["POST /api/merges/{id}/undo"] = new("made two again of {}", S.Merge),
        ["POST /api/people/{id}/erase"] = new("erased {}", S.Person),
        ["POST /api/people/export/{form}"] = new("took people out as a file"),
        ["GET /api/people/{id}/export"] = new("took out everything about {}", S.Person),
        ["POST /api/same-people/different"] = new("said that two people are not the same"),
        ["DELETE /api/same-people/different/{one}/{other}"] = new("took back that two people are not the same"),
        ["POST /api/people/tag"] = new("put a tag on people"),
        ["POST /api/people/untag"] = new("took a tag off people"),
        ["POST /api/people/stage"] = new("moved people to a stage"),
        ["POST /api/people/join"] = new("put people on a list"),
        ["POST /api/people/leave"] = new("took people off a list"),
        ["POST /api/people/owner"] = new("gave people to a member"),
        ["POST /api/people/start"] = new("started a program for people"),
        ["POST /api/acts/{id}/undo"] = new("took back what was done to people"),
        ["POST /api/segments"] = new("made the segment {}", S.Segment, Made),
        ["PUT /api/segments/{id}"] = new("changed the segment {}", S.Segment),
        ["DELETE /api/segments/{id}"] = new("took the segment {} away", S.Segment),
        ["POST /api/lists"] = new("made a list"),
        ["DELETE /api/lists"] = new("took a list away"),
        ["POST /api/imports"] = new("brought in the list {}", S.Import, Made),
        ["PUT /api/imports/{id}/columns"] = new("said what the columns of {} are", S.Import),
        ["PUT /api/imports/{id}/sheet"] = new("chose a sheet of {}", S.Import),
        ["PUT /api/imports/{id}/values"] = new("said what values of {} mean", S.Import),
        ["POST /api/imports/{id}/columns/{index}/field"] = new("made a field for a column of {}", S.Import),
        ["POST /api/imports/{id}/start"] = new("let the people of {} in", S.Import),
        ["POST /api/imports/{id}/stop"] = new("stopped bringing in {}", S.Import),
        ["POST /api/imports/{id}/undo"] = new("took back what {} brought", S.Import),
        ["POST /api/consent-files"] = new("brought in consent from a file"),

        // Opportunities, appointments, inquiries, tasks.
        ["POST /api/people/{id}/opportunities"] = new("opened an opportunity of {}", S.Person),
        ["PUT /api/opportunities/{id}"] = new("changed an opportunity of {}", S.Opportunity),
        ["POST /api/opportunities/{id}/stage"] = new("moved an opportunity of {}", S.Opportunity),
        ["POST /api/opportunities/{id}/close"] = new("closed an opportunity of {}", S.Opportunity),
        ["POST /api/pipeline/move"] = new("moved opportunities"),
        ["POST /api/pipeline/close"] = new("closed opportunities"),
        ["POST /api/people/{id}/appointments"] = new("made an appointment with {}", S.Person),
        ["POST /api/appointments/{id}/move"] = new("moved an appointment with {}", S.Appointment),
        ["POST /api/appointments/{id}/cancel"] = new("cancelled an appointment with {}", S.Appointment),
        ["POST /api/appointments/{id}/missed"] = new("noted that {} did not come", S.Appointment),
        ["POST /api/people/{id}/inquiries"] = new("noted an inquiry of {}", S.Person),
        ["POST /api/people/{id}/inquiries/answered"] = new("noted that {} was answered", S.Person),
        ["POST /api/inquiries"] = new("took in an inquiry"),
        ["POST /api/inquiries/{id}/answer"] = new("answered {}", S.Inquiry),
        ["POST /api/inquiries/{id}/called"] = new("called {} about an inquiry", S.Inquiry),
        ["POST /api/inquiries/{id}/answered"] = new("noted that an inquiry of {} was answered", S.Inquiry),
        ["POST /api/inquiries/{id}/nothing"] = new("put an inquiry of {} away", S.Inquiry),
        ["POST /api/inquiries/{id}/give"] = new("gave an inquiry of {} to somebody", S.Inquiry),
        ["POST /api/submissions/{id}/allow"] = new("took what {} sent for a real inquiry", S.Submission),
        ["POST /api/submissions/{id}/nothing"] = new("threw away what was sent by a form"),
        ["POST /api/submissions/{id}/take-over"] = new("took over what {} sent", S.Submission),
        ["POST /api/people/{id}/tasks"] = new("noted a task for {}", S.Person),
        ["POST /api/tasks"] = new("noted the task {}", S.Task, Made),
        ["POST /api/tasks/set"] = new("noted tasks of a set"),
        ["PUT /api/tasks/{id}"] = new("changed the task {}", S.Task),
        ["DELETE /api/tasks/{id}"] = new("took the task {} away", S.Task),
        ["POST /api/tasks/{id}/give"] = new("gave the task {} to somebody", S.Task),
        ["POST /api/tasks/{id}/move"] = new("moved the task {}", S.Task),
        ["POST /api/tasks/{id}/done"] = new("did {}", S.Task),
        ["POST /api/tasks/{id}/undo"] = new("took back that {} was done", S.Task),

        // What goes out.
        ["POST /api/touches/{id}/done"] = new("did what stood on the day sheet for {}", S.Touch),
        ["POST /api/touches/{id}/undo"] = new("took back what was done for {}", S.Touch),
        ["POST /api/touches/{id}/overrule"] = new("let a message to {} go without consent", S.Touch),
        ["POST /api/touches/{id}/arrived"] = new("said that a message to {} arrived", S.Touch),
        ["POST /api/touches/{id}/not-arrived"] = new("said that a message to {} did not arrive", S.Touch),
        ["POST /api/touches/{id}/hold"] = new("held something for {}", S.Touch),
        ["POST /api/touches/{id}/release"] = new("let something for {} go", S.Touch),
        ["POST /api/touches/{id}/read"] = new("read what goes to {}, and let it go", S.Touch),
        ["POST /api/touches/{id}/drop"] = new("dropped something for {}", S.Touch),
        ["POST /api/touches/{id}/move"] = new("moved something for {} to another day", S.Touch),
        ["PUT /api/touches/{id}/words"] = new("changed the words for {} only", S.Touch),
        ["DELETE /api/touches/{id}/words"] = new("took the words for {} only back", S.Touch),
        ["POST /api/today/hold"] = new("held a kind of letters, or let it go"),
        ["POST /api/today/set-aside/{id}/again"] = new("took {} up again after a mistake", S.Person),
        ["POST /api/today/waiting/{id}/seen"] = new("saw to something that waited"),
        ["POST /api/today/waiting/{id}/unseen"] = new("let something wait again"),
        ["POST /api/today/waiting/{id}/belongs"] = new("said who wrote something"),
        ["POST /api/almanac/group"] = new("held, dropped or moved what is to come"),
        ["POST /api/almanac/group/undo"] = new("took back what was done to what is to come"),
        ["POST /api/notes/printed"] = new("printed notes to write"),
        ["POST /api/broadcasts"] = new("began the broadcast {}", S.Broadcast, Made),
        ["PUT /api/broadcasts/{id}"] = new("changed the broadcast {}", S.Broadcast),
        ["DELETE /api/broadcasts/{id}"] = new("took the broadcast {} away", S.Broadcast),
        ["POST /api/broadcasts/{id}/trial"] = new("sent a trial of {}", S.Broadcast),
        ["POST /api/broadcasts/{id}/send"] = new("sent the broadcast {}", S.Broadcast),
        ["POST /api/broadcasts/{id}/take-back"] = new("took the broadcast {} back before it went", S.Broadcast),
        ["POST /api/broadcasts/{id}/pause"] = new("paused the broadcast {}", S.Broadcast),
        ["POST /api/broadcasts/{id}/resume"] = new("let the broadcast {} go on", S.Broadcast),
        ["POST /api/broadcasts/{id}/stop"] = new("stopped the broadcast {}", S.Broadcast),
        ["POST /api/broadcasts/{id}/again"] = new("began {} again for those who did not open it", S.Broadcast),
        ["POST /api/broadcasts/{id}/who/list"] = new("made a list of people behind a number of {}", S.Broadcast),
        ["POST /api/broadcasts/{id}/who/calls"] = new("noted calls to people behind a number of {}", S.Broadcast),
        ["POST /api/results/who/list"] = new("made a list of people behind a number"),
        ["POST /api/results/who/calls"] = new("noted calls to people behind a number"),

        // Programs.
        ["POST /api/programs"] = new("began the program {}", S.Program, Made),
        ["PUT /api/programs/{id}/draft"] = new("wrote at the program {}", S.Program),
        ["PUT /api/programs/{id}/standing"] = new("changed who sees to the program {}, or where it stands", S.Program),
        ["POST /api/programs/{id}/switch-on"] = new("switched {} on", S.Program),
        ["POST /api/programs/{id}/pause"] = new("paused {}", S.Program),
        ["POST /api/programs/{id}/resume"] = new("let {} go on", S.Program),
        ["POST /api/programs/{id}/move-runs"] = new("moved people of {} to its newest version", S.Program),
        ["POST /api/programs/{id}/stop-runs"] = new("stopped {} for people who are on it", S.Program),
        ["POST /api/programs/{id}/approval/ask"] = new("asked for a yes to {}", S.Program),
        ["POST /api/programs/{id}/approval"] = new("said yes to {}", S.Program),
        ["DELETE /api/programs/{id}/approval"] = new("sent {} back", S.Program),
        ["POST /api/programs/{id}/shelf"] = new("put {} among the ready programs", S.Program),
        ["POST /api/programs/{id}/copy"] = new("copied the program {}", S.Program),
        ["POST /api/programs/{id}/trial"] = new("sent a trial of {}", S.Program),
        ["POST /api/programs/{id}/walks"] = new("kept a walk through {}", S.Program),
        ["DELETE /api/programs/{id}/walks/{walk}"] = new("took a walk through {} away", S.Program),
        ["PUT /api/programs/{id}/hold-out"] = new("changed how many are held out of {}", S.Program),
        ["POST /api/programs/files"] = new("took in programs from a file"),
        ["POST /api/ready-programs/{key}/take"] = new("took a ready program"),
        ["DELETE /api/ready-programs/{key}"] = new("took a program off the ready ones"),

        // Letters and what they are made of.
        ["POST /api/letters"] = new("began the letter {}", S.Letter, Made),
        ["PUT /api/letters/{id}"] = new("changed the letter {}", S.Letter),
        ["DELETE /api/letters/{id}"] = new("took the letter {} away", S.Letter),
        ["POST /api/letters/{id}/copy"] = new("copied the letter {}", S.Letter),
        ["POST /api/images"] = new("brought in a picture"),
        ["POST /api/offers"] = new("began the offer {}", S.Offer, Made),
        ["PUT /api/offers/{id}"] = new("changed the offer {}", S.Offer),
        ["DELETE /api/offers/{id}"] = new("took the offer {} away", S.Offer),
        ["POST /api/figures"] = new("began the figures {}", S.Figures, Made),
        ["PUT /api/figures/{id}"] = new("changed the figures {}", S.Figures),
        ["DELETE /api/figures/{id}"] = new("took the figures {} away", S.Figures),
        ["POST /api/figures/{id}/numbers"] = new("brought in numbers for {}", S.Figures),
        ["POST /api/files"] = new("brought in the file {}", S.File, Made),
        ["PUT /api/files/{id}"] = new("called a file {}", S.File),
        ["DELETE /api/files/{id}"] = new("took the file {} away", S.File),
        ["POST /api/films"] = new("brought in the film {}", S.Film, Made),
        ["PUT /api/films/{id}"] = new("changed the film {}", S.Film),
        ["DELETE /api/films/{id}"] = new("took the film {} away", S.Film),
        ["PUT /api/sign-off"] = new("changed how they sign"),

        // What everybody sees.
        ["POST /api/forms"] = new("began the form {}", S.Form, Made),
        ["PUT /api/forms/{id}"] = new("changed the form {}", S.Form),
        ["DELETE /api/forms/{id}"] = new("took the form {} away", S.Form),
        ["POST /api/forms/{id}/show"] = new("showed the form {} to everybody", S.Form),
        ["POST /api/forms/{id}/hide"] = new("took the form {} back from everybody", S.Form),
        ["POST /api/meetings"] = new("made the page of times {}", S.Times, Made),
        ["PUT /api/meetings/{id}"] = new("changed the page of times {}", S.Times),
        ["DELETE /api/meetings/{id}"] = new("took the page of times {} away", S.Times),
        ["POST /api/pages"] = new("began the page {}", S.Page, Made),
        ["PUT /api/pages/{id}"] = new("changed the page {}", S.Page),
        ["DELETE /api/pages/{id}"] = new("took the page {} away", S.Page),
        ["POST /api/pages/{id}/show"] = new("showed the page {} to everybody", S.Page),
        ["POST /api/pages/{id}/hide"] = new("took the page {} back from everybody", S.Page),
        ["POST /api/posts"] = new("noted a post"),
        ["PUT /api/posts/{id}"] = new("changed the post {}", S.Post),
        ["DELETE /api/posts/{id}"] = new("took the post {} away", S.Post),
        ["POST /api/posts/{id}/again"] = new("handed the post {} over again", S.Post),
        ["PUT /api/posts/gateway"] = new("changed where posts go by themselves"),
        ["POST /api/ideas"] = new("began to follow a feed"),
        ["DELETE /api/ideas/{id}"] = new("followed the feed {} no more", S.Feed),

        // How the practice works.
        ["PUT /api/practice"] = new("changed the practice’s settings"),
        ["POST /api/practice/mail-test"] = new("tried a mail server"),
        ["POST /api/practice/mailbox-test"] = new("tried a mailbox"),
        ["PUT /api/outcomes"] = new("changed how calls can end"),
        ["PUT /api/stages"] = new("changed pipelines and stages"),
        ["POST /api/stages/rename"] = new("called a stage otherwise"),
        ["POST /api/stages/reasons/rename"] = new("called a reason otherwise"),
        ["PUT /api/tasks/sets"] = new("changed sets of tasks"),
        ["PUT /api/giving"] = new("changed who gets inquiries"),
        ["POST /api/giving/absences"] = new("noted an absence of {}", S.Absence, Made),
        ["DELETE /api/giving/absences/{id}"] = new("took back an absence of {}", S.Absence),
        ["POST /api/own-calendars"] = new("brought in one of their calendars"),
        ["POST /api/own-calendars/file"] = new("brought in one of their calendars as a file"),
        ["DELETE /api/own-calendars/{id}"] = new("took the calendar {} away", S.Calendar),
        ["POST /api/calendar-feed"] = new("made the address of their calendar"),
        ["PUT /api/morning"] = new("chose when their morning letter comes"),
        ["PUT /api/results/monthly"] = new("chose whether the monthly letter comes"),
        ["PUT /api/sending/brake"] = new("changed when commercial mail stops by itself"),
        ["POST /api/sending/brake/release"] = new("let commercial mail go on"),
        ["POST /api/sending/keys"] = new("made a key mail is signed with"),
        ["POST /api/sending/keys/use"] = new("began to sign mail with a new key"),
        ["POST /api/sending/keys/end"] = new("stopped signing mail"),
        ["POST /api/sending/keys/throw-away"] = new("threw away a key that never signed"),
        ["POST /api/clock/move"] = new("moved the clock"),
        ["POST /api/clock/stop"] = new("stopped the clock"),
    }.ToFrozenDictionary(StringComparer.Ordinal);

    /// <summary>Writing calls that change nothing: they look, try or work something out; and those of the stand-ins, which are no part of the practice.</summary>
    public static FrozenSet<string> Silent { get; } = new[]
    {
        "POST /api/session/forgotten",
        "POST /api/session/link",
        "POST /api/session/passkey/ask",
        "POST /api/me/factor",
        "POST /api/me/passkeys/ask",
        "POST /api/beginning/mail/find",
        "POST /api/people/tag/preview",
        "POST /api/people/untag/preview",
        "POST /api/people/stage/preview",
        "POST /api/people/join/preview",
        "POST /api/people/leave/preview",
        "POST /api/people/owner/preview",
        "POST /api/people/start/preview",
        "POST /api/segments/preview",
        "POST /api/segments/why",
        "POST /api/letters/read",
        "POST /api/forms/preview",
        "POST /api/programs/{id}/rehearsal",
        "DELETE /api/programs/{id}/rehearsal",
        "POST /api/programs/{id}/walk",
        "POST /api/programs/text-length",
        "POST /api/broadcasts/{id}/links",
        "POST /api/inquiries/{id}/ready",
        "POST /api/inquiries/{id}/touched",
        "POST /api/own-calendars/{id}/read",
        "POST /api/stand-ins/mail/{number}/answer",
        "POST /api/stand-ins/texts",
    }.ToFrozenSet(StringComparer.Ordinal);

    // What an endpoint is called never changes.
    private static readonly ConcurrentDictionary<Endpoint, JournalWord?> Known = new();

    /// <summary>How a call of an endpoint is told; null where it is not.</summary>
    public static JournalWord? Of(HttpContext http) =>
        http.GetEndpoint() is RouteEndpoint endpoint ? Known.GetOrAdd(endpoint, static (e, method) => Told.GetValueOrDefault(KeyOf(method, ((RouteEndpoint)e).RoutePattern.RawText)), http.Request.Method) : null;

    /// <summary>An endpoint's place in the table: <c>PUT /api/letters/{id}</c>.</summary>
    public static string KeyOf(string method, string? pattern) => $"{method} {Constraint().Replace(pattern ?? "", "{$1}").TrimEnd('/')}";

    [GeneratedRegex(@"\{\*{0,2}([A-Za-z]+)[^}]*\}", RegexOptions.None, 1000)]
    private static partial Regex Constraint();
}
