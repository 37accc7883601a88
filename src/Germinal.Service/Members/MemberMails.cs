using Germinal.Channels;
using Germinal.Core.Words;
using Germinal.Service.Clock;
using Germinal.Service.Mails;
using Germinal.Store;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;

namespace Germinal.Service.Members;

/// <summary>Mails to members about their own sign-in. They are waiting to be sent once they are saved.</summary>
public sealed class MemberMails(PublicLinks links)
{
    /// <summary>The address an invited member joins at.</summary>
    public string JoinAddress(string key) => $"{links.BaseUrl}/join?key={key}";

    /// <summary>Asks somebody to join.</summary>
    /// <param name="db">The practice's, or the house's: whose mail it is.</param>
    /// <param name="member">Who is invited.</param>
    /// <param name="by">Who invites them.</param>
    /// <param name="practice">What the practice is called.</param>
    /// <param name="key">Of the link.</param>
    /// <param name="stop">Gives up.</param>
    public Task InviteAsync(GerminalDb db, MemberUser member, (Guid Id, string Name) by, string practice, string key, CancellationToken stop) =>
        AddAsync(
            db,
            member,
            by.Id,
            () => (
                Say($"Join {practice}"),
                Say($"{by.Name} asks you to join {practice} in Germinal."),
                Said("Follow this link, say what you are called, and choose a password. It works once, and for three days:"),
                JoinAddress(key),
                Said("If you know nothing of this, there is nothing to do.")
            ),
            stop
        );

    /// <summary>Leads to a page where a new password is chosen.</summary>
    public Task ForgottenAsync(GerminalDb db, MemberUser member, string key, CancellationToken stop) =>
        AddAsync(
            db,
            member,
            member.Id,
            () => (
                Said("A new password"),
                Said("Somebody asked for a new password for this address."),
                Said("If that was you, follow this link and choose one. It works once, and for half an hour:"),
                $"{links.BaseUrl}/new-password?key={key}",
                Said("If it was not you, there is nothing to do: your password is as it was.")
            ),
            stop
        );

    /// <summary>Tells a member that somebody signed in as them from a device they had not used before.</summary>
    /// <param name="db">The practice's.</param>
    /// <param name="member">Who.</param>
    /// <param name="program">What the browser calls itself.</param>
    /// <param name="address">Where it is.</param>
    /// <param name="stop">Gives up.</param>
    public Task NewDeviceAsync(GerminalDb db, MemberUser member, string program, string address, CancellationToken stop) =>
        AddAsync(
            db,
            member,
            member.Id,
            () => (
                Said("Signed in from a new device"),
                Say($"Somebody signed in as you from a device you had not used before: {DeviceWords.Of(program)}, from {(address.Length > 0 ? address : Said("an address that is not known"))}."),
                Said("If that was you, there is nothing to do. If it was not, end that session and change your password here:"),
                $"{links.BaseUrl}/you",
                ""
            ),
            stop
        );

    /// <summary>Tells a principal that the practice goes with all it has.</summary>
    /// <param name="db">The practice's.</param>
    /// <param name="member">A principal.</param>
    /// <param name="by">Who has said so.</param>
    /// <param name="practice">What the practice is called.</param>
    /// <param name="ends">When, by the machine's clock.</param>
    /// <param name="stop">Gives up.</param>
    public async Task PracticeEndsAsync(GerminalDb db, MemberUser member, MemberUser by, string practice, NodaTime.Instant ends, CancellationToken stop)
    {
        var zone = Core.Time.LocalClock.Zone((await db.OwnPracticeAsync(stop)).ZoneId) ?? NodaTime.DateTimeZone.Utc;
        await AddAsync(
            db,
            member,
            by.Id,
            () => (
                Say($"{practice} goes in a week"),
                Say($"{by.Name} has said that {practice} is to go from Germinal with all it has, on {Tongue.Spoken.Dates.Moment.Format(ends.InZone(zone).LocalDateTime)}."),
                Said("Until then everything goes on as it is. Take everything with you, or keep the practice after all, here:"),
                $"{links.BaseUrl}/practice/data",
                ""
            ),
            stop
        );
    }

    /// <summary>Tells a principal that the practice is stopped.</summary>
    /// <param name="db">The house's, whose mail it is: the practice's own waits.</param>
    /// <param name="member">A principal.</param>
    /// <param name="by">Which keeper.</param>
    /// <param name="practice">What the practice is called.</param>
    /// <param name="why">In the keeper's words.</param>
    /// <param name="stop">Gives up.</param>
    public Task PracticeStoppedAsync(GerminalDb db, MemberUser member, (Guid Id, string Name) by, string practice, string why, CancellationToken stop) =>
        AddAsync(
            db,
            member,
            by.Id,
            () => (
                Say($"{practice} is stopped"),
                Say($"{by.Name}, who keeps this installation of Germinal, has stopped {practice}: {why}"),
                Said("Nobody of it can sign in, and nothing goes out, until it is started again. Nothing is lost, and what people answer is still taken in. Write to whoever keeps the installation, or look whether it goes on here:"),
                links.BaseUrl,
                ""
            ),
            stop
        );

    /// <summary>Tells a principal that the practice goes on. As <see cref="PracticeStoppedAsync"/>.</summary>
    public Task PracticeGoesOnAsync(GerminalDb db, MemberUser member, (Guid Id, string Name) by, string practice, CancellationToken stop) =>
        AddAsync(
            db,
            member,
            by.Id,
            () => (
                Say($"{practice} goes on"),
                Say($"{by.Name}, who keeps this installation of Germinal, has started {practice} again."),
                Said("What should have gone meanwhile goes now, as far as it is not too late for it. Sign in here:"),
                links.BaseUrl,
                ""
            ),
            stop
        );

    // What is said is said in the member's own language.
    private static async Task AddAsync(GerminalDb db, MemberUser member, Guid from, Func<(string Subject, string What, string How, string Address, string Otherwise)> words, CancellationToken stop)
    {
        var of = member.Tongue.Length > 0 ? member.Tongue : (await db.Practices.Where(p => p.Id == member.PracticeId).Select(p => p.Settings).FirstOrDefaultAsync(stop))?.Tongue;
        using var spoken = (Tongue.Named(of) ?? Tongue.Spoken).Speak();
        var (subject, what, how, address, otherwise) = words();
        db.OwnMails.Add(
            new OwnMailRow
            {
                Id = Guid.CreateVersion7(),
                PracticeId = db.PracticeId ?? member.PracticeId,
                Kind = OwnMailKinds.Member,
                MemberId = from,
                ToName = member.Name,
                ToAddress = member.Email!,
                Subject = subject,
                Text = string.Join("\n\n", new[] { what, how, address, otherwise }.Where(p => p.Length > 0)) + "\n",
                CreatedAt = await PracticeClock.NowAsync(db, stop),
            }
        );
        await db.SaveChangesAsync(stop);
    }
}
