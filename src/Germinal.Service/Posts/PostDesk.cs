using Germinal.Channels.Letters;
using Germinal.Core.Engine;
using Germinal.Core.Programs;
using Germinal.Service.Engine;
using Germinal.Service.Tasks;
using Germinal.Store;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Service.Posts;

/// <summary>A post as it is written.</summary>
/// <param name="Words">What it says.</param>
/// <param name="Picture">Its picture, among the practice's; null for none.</param>
/// <param name="PictureWords">What the picture shows.</param>
/// <param name="Place">Where it is to stand.</param>
/// <param name="On">Its day.</param>
/// <param name="Member">On whose sheet it stands.</param>
/// <param name="ByItself">Whether the gateway puts it there.</param>
/// <param name="InFeed">Whether the practice's feed shows it once it stands.</param>
public sealed record PostWords(string Words, Guid? Picture, string PictureWords, string Place, LocalDate On, Guid Member, bool ByItself, bool InFeed);

/// <summary>Writes posts. One that a member writes is a task of theirs, so that it is moved, handed over and done as any other.</summary>
public static class PostDesk
{
    /// <summary>Letters of a post.</summary>
    public const int LongestWords = 5000;

    private const int AtOnce = 200;

    /// <summary>What is wrong with a post, by field; nothing where nothing is.</summary>
    /// <param name="db">A context of the practice.</param>
    /// <param name="words">The post.</param>
    /// <param name="today">The practice's day.</param>
    /// <param name="stop">Gives up.</param>
    public static async Task<IReadOnlyList<(string Field, string Message)>> ProblemsAsync(GerminalDb db, PostWords words, LocalDate today, CancellationToken stop)
    {
        var wrong = new List<(string, string)>();
        if (words.Words.Trim().Length is 0 or > LongestWords)
        {
            wrong.Add(("words", Say($"Write what it says, in at most {LongestWords} letters.")));
        }

        if (words.On < today.PlusYears(-1) || words.On > today.PlusYears(5))
        {
            wrong.Add(("on", Said("Give a day from a year ago to five years ahead, as 2027-03-09.")));
        }

        if (!await db.Users.AnyAsync(m => m.Id == words.Member && m.PracticeId == db.PracticeId, stop))
        {
            wrong.Add(("member", Said("There is no such member.")));
        }

        if (words.ByItself && (await db.OwnPracticeAsync(stop)).Settings.PostGateway is null)
        {
            wrong.Add(("byItself", Said("The practice has no gateway to public places. A principal sets one; till then a member puts it there.")));
        }

        return wrong;
    }

    /// <summary>Writes one; the caller saves.</summary>
    /// <param name="db">A context of the practice.</param>
    /// <param name="desk">Writes the task it is.</param>
    /// <param name="words">The post, in order.</param>
    /// <param name="now">Practice time.</param>
    public static PostRow Add(GerminalDb db, TaskDesk desk, PostWords words, Instant now)
    {
        var task = desk.Add("post", Channels.Posts.Feeds.FirstLine(words.Words), words.On, null, words.Member);
        var row = new PostRow { Id = Guid.CreateVersion7(), PracticeId = db.PracticeId!.Value, TaskId = task.Id, Words = "", CreatedAt = now };
        Put(row, task, words);
        db.Posts.Add(row);
        return row;
    }

    /// <summary>Writes it anew. What the gateway would not have, it is asked for again.</summary>
    /// <param name="row">The post.</param>
    /// <param name="task">The task it is.</param>
    /// <param name="words">As it is to be, in order.</param>
    public static void Put(PostRow row, TaskRow task, PostWords words)
    {
        (row.Words, row.PictureId, row.PictureWords) = (words.Words.Trim().ReplaceLineEndings("\n"), words.Picture, words.PictureWords.Trim());
        (row.Place, row.ByItself, row.InFeed) = (words.Place.Trim(), words.ByItself, words.InFeed);
        (task.Title, task.Due, task.MemberId) = (Channels.Posts.Feeds.FirstLine(row.Words), words.On, words.Member);
        if (row.Status == PostStatus.Refused)
        {
            Again(row);
        }
    }

    /// <summary>The gateway is asked once more, as for a new one.</summary>
    public static void Again(PostRow row) => (row.Status, row.NextTry, row.Attempts, row.LastAnswer) = (PostStatus.Waiting, Instant.MinValue, 0, "");

    /// <summary>Writes down the posts that programs have put on the sheet, filled for whom they are about.</summary>
    /// <param name="db">A context of the practice.</param>
    /// <param name="engine">The practice's engine.</param>
    /// <param name="only">One touch; null for all that stand on the sheet.</param>
    /// <param name="now">Practice time.</param>
    /// <param name="stop">Gives up.</param>
    public static async Task KeepTouchesAsync(GerminalDb db, TouchEngine engine, Guid? only, Instant now, CancellationToken stop)
    {
        var open = await db
            .Touches.AsNoTracking()
            .Where(t => t.Kind == "post" && (only == null ? t.Status == TouchStatus.Open : t.Id == only) && !db.Posts.Any(p => p.TouchId == t.Id))
            .OrderBy(t => t.Due)
            .ThenBy(t => t.Id)
            .Take(AtOnce)
            .ToListAsync(stop);
        if (open.Count == 0)
        {
            return;
        }

        var facts = await FactsReading.LoadAsync(db, [.. open.Select(t => t.PersonId).Distinct()], stop, engine);
        foreach (var touch in open.Where(t => facts.ContainsKey(t.PersonId)))
        {
            if (engine.Shelf.Find(touch.ProgramId, touch.Version).Definition.StepOf(touch.StepId) is PostStep step)
            {
                var words = WordsOf(engine, step, facts[touch.PersonId], now);
                await db.Database.ExecuteSqlAsync(
                    $"""
                    INSERT INTO posts (id, practice_id, touch_id, person_id, words, picture_id, picture_words, place, by_itself, in_feed, status, next_try, attempts, last_answer, address, created_at)
                    VALUES ({Guid.CreateVersion7()}, {touch.PracticeId}, {touch.Id}, {touch.PersonId}, {words}, {step.Picture}, {step.PictureWords}, {step.Place}, {step.ByItself}, true, {PostStatus.Waiting}, '-infinity', 0, '', '', {now})
                    ON CONFLICT (touch_id) WHERE touch_id IS NOT NULL DO NOTHING
                    """,
                    stop
                );
            }
        }
    }

    /// <summary>The words of a step, filled for whom it is about.</summary>
    public static string WordsOf(TouchEngine engine, PostStep step, Core.Contact.PersonFacts person, Instant now) =>
        ((LiquidLetters)engine.Templates).FillText(step.Body, person, engine.Practice, engine.Practice.SenderFor(person), now, []);
}
