using Germinal.Store.Rows;

namespace Germinal.Web.Tests;

/// <summary>Somebody a letter went to, whose link they may follow.</summary>
internal static class WrittenTo
{
    /// <summary>A person, the message that went to them, and the program it was of.</summary>
    public static async Task<(Guid Person, Guid Touch, Guid Program)> SomebodyAsync(Site site, string first, string last, string email, string? mobile = null)
    {
        await using var db = site.Db();
        var (person, touch, run) = (Guid.CreateVersion7(), Guid.CreateVersion7(), Guid.CreateVersion7());
        db.People.Add(new PersonRow { Id = person, PracticeId = site.Practice, FirstName = first, LastName = last, Email = email, Mobile = mobile, AddedAt = Site.Now });
        var program = new ProgramRow { Id = Guid.CreateVersion7(), PracticeId = site.Practice, Name = $"P {touch}", Draft = "{}" };
        db.Programs.Add(program);
        db.Touches.Add(new TouchRow { Id = touch, PracticeId = site.Practice, PersonId = person, ProgramId = program.Id, RunId = run, StepId = "a", Kind = "email", Status = Core.Engine.TouchStatus.HandedOver });
        db.Messages.Add(new MessageRow { TouchId = touch, PracticeId = site.Practice, PersonId = person, MessageId = touch.ToString(), ToAddress = email, FromAddress = "ada@example.com", FromName = "Ada", Subject = "News", Html = "", Text = "", SentAt = Site.Now });
        await db.SaveChangesAsync();
        return (person, touch, program.Id);
    }
}
