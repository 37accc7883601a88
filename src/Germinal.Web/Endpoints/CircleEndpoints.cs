using Germinal.Core.Contact;
using Germinal.Service;
using Germinal.Service.People;
using Germinal.Store;
using Germinal.Store.Rows;
using Germinal.Web.Hosting;
using Microsoft.AspNetCore.Http.HttpResults;
using Microsoft.EntityFrameworkCore;

namespace Germinal.Web.Endpoints;

/// <summary>Somebody of a household.</summary>
/// <param name="Person">Who.</param>
/// <param name="Address">Their postal address, where it is not the household's.</param>
public sealed record HousemateDto(PersonRef Person, string? Address);

/// <summary>Who a person lives with.</summary>
/// <param name="Id">The household.</param>
/// <param name="Salutation">How they are greeted together; null where nobody's first name is known.</param>
/// <param name="Written">True where a member wrote it by hand.</param>
/// <param name="Names">How an envelope names them.</param>
/// <param name="Address">The one address they share; null for none, or several.</param>
/// <param name="Others">The others.</param>
public sealed record HouseholdDto(Guid Id, string? Salutation, bool Written, string? Names, string? Address, IReadOnlyList<HousemateDto> Others);

/// <summary>How somebody stands to a person.</summary>
/// <param name="Id">The relation.</param>
/// <param name="Role">What they are to the person.</param>
/// <param name="Person">Who they are.</param>
/// <param name="Became">What became of somebody the person referred: their stage, what was won; null for others.</param>
public sealed record RelationDto(Guid Id, string Role, PersonRef Person, string? Became);

/// <summary>Somebody who may live with a person, and what speaks for it. A guess.</summary>
public sealed record MayLiveWithDto(PersonRef Person, string Because);

/// <summary>The people around a person.</summary>
public sealed record CircleDto(HouseholdDto? Household, IReadOnlyList<RelationDto> Relations, IReadOnlyList<MayLiveWithDto> MayLiveWith, IReadOnlyList<string> Roles);

/// <summary>Households and relations.</summary>
public static class CircleEndpoints
{
    private const int MostProposed = 5;
    private const int MostLooked = 50;

    public sealed record OtherBody(Guid Other);

    /// <param name="Salutation">How they are greeted; empty for worked out, null to leave it.</param>
    /// <param name="Address">One postal address for everybody; null to leave it.</param>
    public sealed record HouseholdBody([AtMost(Lengths.Name)] string? Salutation = null, [AtMost(1000)] string? Address = null);

    /// <param name="Other">Who.</param>
    /// <param name="Role">What they are to the person.</param>
    /// <param name="Back">What the person is to them; needed where the practice has no such role yet.</param>
    public sealed record RelationBody(Guid Other, [AtMost(Lengths.Name)] string Role, [AtMost(Lengths.Name)] string? Back = null);

    public static void Map(IEndpointRouteBuilder app)
    {
        var person = app.MapGroup("/api/people/{id:guid}").WithTags("person").RequireAuthorization(Rights.Work);
        person.MapGet("/circle", Read);
        person.MapPost("/household", Join);
        person.MapPatch("/household", Change);
        person.MapDelete("/household", Leave);
        person.MapPost("/relations", Relate);
        person.MapDelete("/relations/{relation:guid}", Unrelate);
    }

    private static async Task<Results<Ok<CircleDto>, NotFound>> Read(Guid id, GerminalDb db, CancellationToken stop)
    {
        if (await db.People.AsNoTracking().FirstOrDefaultAsync(p => p.Id == id, stop) is not { } person)
        {
            return TypedResults.NotFound();
        }

        var settings = (await db.Practices.AsNoTracking().SingleAsync(p => p.Id == db.PracticeId, stop)).Settings;
        var rows = await db.Relations.AsNoTracking().Where(r => r.PersonId == id || r.OtherId == id).OrderBy(r => r.At).ToListAsync(stop);
        var others = rows.Select(r => r.PersonId == id ? r.OtherId : r.PersonId).Distinct().ToList();
        var known = await db
            .People.AsNoTracking()
            .Where(p => others.Contains(p.Id))
            .Select(p => new
            {
                p.Id,
                p.FirstName,
                p.LastName,
                p.Email,
                p.Mobile,
                p.Stage,
                Won = db.Opportunities.Count(o => o.PersonId == p.Id && o.Status == "won"),
                Open = db.Opportunities.Count(o => o.PersonId == p.Id && o.Status == "open"),
            })
            .ToDictionaryAsync(p => p.Id, stop);
        string? Became(Guid other, string role)
        {
            if (!string.Equals(role, Referred, StringComparison.OrdinalIgnoreCase))
            {
                return null;
            }

            var p = known[other];
            var words = new[]
            {
                p.Stage is { } stage ? Core.Engine.Why.StageName(stage) : null,
                p.Won > 0 ? $"{p.Won} won" : null,
                p.Open > 0 ? Say($"{p.Open} open") : null,
            };
            return string.Join(", ", words.OfType<string>()) is { Length: > 0 } said ? said : Said("nothing yet");
        }

        var relations = rows.Select(r => r.PersonId == id ? (r.Id, r.Role, Other: r.OtherId) : (r.Id, Role: r.Back, Other: r.PersonId))
            .Where(r => known.ContainsKey(r.Other))
            .Select(r =>
            {
                var p = known[r.Other];
                return new RelationDto(r.Id, r.Role, new PersonRef(p.Id, PersonName.Of(p.FirstName, p.LastName, p.Email, p.Mobile)), Became(p.Id, r.Role));
            });
        return TypedResults.Ok(
            new CircleDto(
                await HouseholdAsync(db, person, stop),
                [.. relations.OrderBy(r => r.Role, StringComparer.OrdinalIgnoreCase)],
                await MayLiveWithAsync(db, person, stop),
                Relations.Roles(settings)
            )
        );
    }

    /// <summary>The role of somebody another one sent: what became of them is worth knowing.</summary>
    private const string Referred = "referred";

    private static async Task<HouseholdDto?> HouseholdAsync(GerminalDb db, PersonRow person, CancellationToken stop)
    {
        if (person.HouseholdId is not { } id || (await Households.LoadAsync(db, [id], stop)).GetValueOrDefault(id) is not { } home)
        {
            return null;
        }

        var others = await db.People.AsNoTracking().Where(p => p.HouseholdId == id && p.Id != person.Id && !p.Archived).OrderBy(p => p.AddedAt).ThenBy(p => p.Id).ToListAsync(stop);
        return new HouseholdDto(
            id,
            home.Salutation,
            home.Written is not null,
            home.Names,
            home.Address,
            [.. others.Select(p => new HousemateDto(new PersonRef(p.Id, p.Name), home.Address is null ? p.Address : null))]
        );
    }

    /// <summary>
    /// Others under the same number, email address, or name and postal address, whom nobody has said are no household of theirs.
    /// </summary>
    private static async Task<IReadOnlyList<MayLiveWithDto>> MayLiveWithAsync(GerminalDb db, PersonRow person, CancellationToken stop)
    {
        var like = $"{PersonNames.Fold(person.LastName ?? "").Replace("\\", "", StringComparison.Ordinal).Replace("%", "", StringComparison.Ordinal)} %";
        var found = await db
            .People.AsNoTracking()
            .Where(p =>
                p.Id != person.Id
                && !p.Archived
                && (p.HouseholdId == null || p.HouseholdId != person.HouseholdId)
                && !db.Different.Any(d => (d.FirstId == p.Id && d.SecondId == person.Id) || (d.FirstId == person.Id && d.SecondId == p.Id))
                && (
                    (person.Mobile != null && (p.Mobile == person.Mobile || p.OtherPhone == person.Mobile))
                    || (person.OtherPhone != null && (p.OtherPhone == person.OtherPhone || p.Mobile == person.OtherPhone))
                    || (person.Email != null && p.Email == person.Email)
                    || (person.Address != null && person.LastName != null && EF.Functions.Like(p.SortName, like) && p.Address == person.Address)
                )
            )
            .OrderBy(p => p.SortName)
            .Take(MostLooked)
            .ToListAsync(stop);
        return
        [
            .. found.Where(p => !SamePeople.AreStrangers(person, p)).Take(MostProposed).Select(p => new MayLiveWithDto(
                new PersonRef(p.Id, p.Name),
                person.Mobile is not null && (p.Mobile == person.Mobile || p.OtherPhone == person.Mobile)
                || person.OtherPhone is not null && (p.OtherPhone == person.OtherPhone || p.Mobile == person.OtherPhone)
                    ? Said("the same number")
                : person.Email is not null && p.Email == person.Email ? Said("the same email address")
                : Said("the same name and postal address")
            )),
        ];
    }

    /// <summary>The person, and another of the practice, locked for what is done with both; null where one of them is not there.</summary>
    private static async Task<(PersonRow Person, PersonRow Other)?> BothAsync(GerminalDb db, Guid id, Guid other, CancellationToken stop)
    {
        Guid[] ids = [id, other];
        var both = await db.People.FromSql($"SELECT * FROM people WHERE id = ANY({ids}) ORDER BY id FOR UPDATE").ToDictionaryAsync(p => p.Id, stop);
        return both.Count == 2 ? (both[id], both[other]) : null;
    }

    private static async Task<Results<NoContent, NotFound, ProblemHttpResult, ValidationProblem>> Join(
        Guid id,
        OtherBody body,
        GerminalDb db,
        Caller caller,
        CancellationToken stop
    )
    {
        await using var transaction = await db.Database.BeginTransactionAsync(stop);
        if (await BothAsync(db, id, body.Other, stop) is not { } both)
        {
            return id == body.Other ? Problems.Field("other", Said("Somebody lives with themselves anyway. Pick another person.")) : TypedResults.NotFound();
        }

        var households = new Households(db, await PeopleEndpoints.DeskAsync(db, caller, stop));
        if (await households.JoinAsync(both.Person, both.Other, stop) is { } why)
        {
            return Problems.Conflict(why);
        }

        await transaction.CommitAsync(stop);
        return TypedResults.NoContent();
    }

    private static async Task<Results<NoContent, NotFound>> Leave(Guid id, GerminalDb db, Caller caller, CancellationToken stop)
    {
        if (await db.People.FirstOrDefaultAsync(p => p.Id == id, stop) is not { } person)
        {
            return TypedResults.NotFound();
        }

        await new Households(db, await PeopleEndpoints.DeskAsync(db, caller, stop)).LeaveAsync(person, stop);
        return TypedResults.NoContent();
    }

    private static async Task<Results<NoContent, NotFound>> Change(Guid id, HouseholdBody body, GerminalDb db, Caller caller, CancellationToken stop)
    {
        if (await db.People.AsNoTracking().Where(p => p.Id == id).Select(p => p.HouseholdId).FirstOrDefaultAsync(stop) is not { } home)
        {
            return TypedResults.NotFound();
        }

        var households = new Households(db, await PeopleEndpoints.DeskAsync(db, caller, stop));
        if (body.Salutation is { } salutation)
        {
            await households.GreetAsync(home, salutation.Trim() is { Length: > 0 } written ? written : null, stop);
        }

        if (body.Address is { } address)
        {
            await households.AddressAsync(home, address.Trim() is { Length: > 0 } written ? written.ReplaceLineEndings("\n") : null, stop);
        }

        return TypedResults.NoContent();
    }

    public sealed record RelatedDto(Guid Id);

    private static async Task<Results<Ok<RelatedDto>, NotFound, ValidationProblem>> Relate(
        Guid id,
        RelationBody body,
        GerminalDb db,
        Caller caller,
        CancellationToken stop
    )
    {
        var role = body.Role.Trim();
        if (role.Length == 0)
        {
            return Problems.Field("role", Said("Say what they are to each other, such as solicitor."));
        }

        await using var transaction = await db.Database.BeginTransactionAsync(stop);
        if (await BothAsync(db, id, body.Other, stop) is not { } both)
        {
            return id == body.Other ? Problems.Field("other", Said("Nobody is that to themselves. Pick another person.")) : TypedResults.NotFound();
        }

        var settings = (await db.Practices.AsNoTracking().SingleAsync(p => p.Id == db.PracticeId, stop)).Settings;
        if ((body.Back?.Trim() is { Length: > 0 } given ? given : Relations.BackOf(settings, role)) is not { } back)
        {
            return Problems.Field("back", Say($"“{role}” is no role here yet. Say what {both.Person.Name} is to {both.Other.Name} in return."));
        }

        var relations = new Relations(db, await PeopleEndpoints.DeskAsync(db, caller, stop), caller.Name);
        var relation = await relations.AddAsync(both.Person, both.Other, role, back, stop);
        await transaction.CommitAsync(stop);
        return TypedResults.Ok(new RelatedDto(relation.Id));
    }

    private static async Task<Results<NoContent, NotFound>> Unrelate(Guid id, Guid relation, GerminalDb db, Caller caller, CancellationToken stop)
    {
        if (await db.Relations.FirstOrDefaultAsync(r => r.Id == relation && (r.PersonId == id || r.OtherId == id), stop) is not { } row)
        {
            return TypedResults.NotFound();
        }

        await new Relations(db, await PeopleEndpoints.DeskAsync(db, caller, stop), caller.Name).RemoveAsync(row, stop);
        return TypedResults.NoContent();
    }
}
