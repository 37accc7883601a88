using Germinal.Core.Time;
using Germinal.Core.Words;
using Germinal.Service.Import;
using Germinal.Store;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;

namespace Germinal.Service.People;

/// <summary>Fields of a person as a member types them. Null leaves a field alone, an empty text empties it.</summary>
public sealed record PersonFields(
    [AtMost(Lengths.Name)] string? FirstName = null,
    [AtMost(Lengths.Name)] string? LastName = null,
    [AtMost(500)] string? Email = null,
    [AtMost(Lengths.Name)] string? Mobile = null,
    [AtMost(Lengths.Name)] string? OtherPhone = null,
    [AtMost(1000)] string? Address = null,
    [AtMost(Lengths.Name)] string? Zone = null,
    [AtMost(10)] string? Tongue = null,
    [AtMost(Lengths.Name)] string? Source = null,
    Guid? OwnerId = null,
    bool? ClearOwner = null,
    [AtMost(Lengths.Name, Items = 50)] IReadOnlyDictionary<string, string>? Dates = null,
    [AtMost(2000, Items = 200)] IReadOnlyDictionary<string, string>? Custom = null
);

/// <summary>Checks what was typed and puts it into the row; every problem names its field and what would be right.</summary>
public static class PersonEdit
{
    /// <summary>Applies the fields that are right. The caller saves only when there are no problems.</summary>
    public static async Task<List<(string Field, string Message)>> ApplyAsync(GerminalDb db, PersonRow person, PersonFields fields, CancellationToken stop)
    {
        var problems = new List<(string, string)>();
        static string? Text(string? typed, string? now) =>
            typed is null ? now
            : CellReading.Clean(typed) is { Length: > 0 } text ? text
            : null;
        person.FirstName = Text(fields.FirstName, person.FirstName);
        person.LastName = Text(fields.LastName, person.LastName);
        person.Source = Text(fields.Source, person.Source);
        person.Address =
            fields.Address is null ? person.Address
            : fields.Address.Trim() is { Length: > 0 } address ? address
            : null;
        if (fields.Email is not null)
        {
            var reading = CellReading.Emails(fields.Email);
            person.Email = reading.Value.Email;
            if (reading.Value.Email is null && fields.Email.Trim().Length > 0)
            {
                problems.Add(("email", Say($"“{fields.Email.Trim()}” is not an email address; name@example.com would be.")));
            }
        }

        var settings = (await db.Practices.AsNoTracking().SingleAsync(p => p.Id == person.PracticeId, stop)).Settings;
        var region = settings.PhoneRegion;
        if (fields.Mobile is not null)
        {
            var phone = CellReading.Phone(fields.Mobile, region);
            (person.Mobile, person.MobileExtension) = phone.Value;
            if (phone.Doubt is not null)
            {
                problems.Add(("mobile", Say($"“{fields.Mobile.Trim()}” is not a telephone number; (207) 555-0123 would be.")));
            }
        }

        if (fields.OtherPhone is not null)
        {
            var phone = CellReading.Phone(fields.OtherPhone, region);
            (person.OtherPhone, person.OtherPhoneExtension) = phone.Value;
            if (phone.Doubt is not null)
            {
                problems.Add(("otherPhone", Say($"“{fields.OtherPhone.Trim()}” is not a telephone number; (207) 555-0123 would be.")));
            }
        }

        if (fields.Tongue is not null)
        {
            person.Tongue = fields.Tongue.Length == 0 ? null : fields.Tongue;
            if (fields.Tongue.Length > 0 && Tongue.ProblemOf(fields.Tongue) is { } unspoken)
            {
                problems.Add(("tongue", unspoken));
            }
        }

        if (fields.Zone is not null)
        {
            person.ZoneId = fields.Zone.Length == 0 ? null : fields.Zone;
            if (fields.Zone.Length > 0 && LocalClock.Zone(fields.Zone) is null)
            {
                problems.Add(("zone", Say($"“{fields.Zone}” is not a time zone; America/Denver would be.")));
            }
        }

        if (fields.ClearOwner == true)
        {
            person.OwnerId = null;
        }
        else if (fields.OwnerId is { } owner)
        {
            person.OwnerId = owner;
            if (!await db.Users.AnyAsync(m => m.Id == owner && m.PracticeId == person.PracticeId, stop))
            {
                problems.Add(("ownerId", Said("The owner must be a member of the practice.")));
            }
        }

        foreach (var (name, typed) in fields.Dates ?? new Dictionary<string, string>())
        {
            await ApplyDateAsync(db, person, CellReading.Clean(name).ToLowerInvariant(), typed.Trim(), problems, stop);
        }

        problems.AddRange(OwnFields.Apply(settings, person, fields.Custom ?? new Dictionary<string, string>()));
        PersonNames.Refresh(person);
        return problems;
    }

    private static async Task ApplyDateAsync(
        GerminalDb db,
        PersonRow person,
        string name,
        string typed,
        List<(string, string)> problems,
        CancellationToken stop
    )
    {
        if (name.Length is 0 or > 40)
        {
            problems.Add(("dates", Said("A key date needs a name of up to 40 letters.")));
            return;
        }

        var row = await db.KeyDates.FirstOrDefaultAsync(d => d.PersonId == person.Id && d.Name == name, stop);
        if (typed.Length == 0)
        {
            if (row is not null)
            {
                db.KeyDates.Remove(row);
            }

            return;
        }

        if (YearlyDate.TryParse(typed) is not { } date)
        {
            problems.Add(($"dates.{name}", Say($"“{typed}” is no day there is. 1975-06-14 would be right, or --06-14 where the year is not known.")));
            return;
        }

        row ??= db
            .KeyDates.Add(
                new KeyDateRow
                {
                    PersonId = person.Id,
                    PracticeId = person.PracticeId,
                    Name = name,
                    Yearly = true,
                }
            )
            .Entity;
        (row.Month, row.Day, row.Year) = (date.Month, date.Day, date.Year);
    }
}
