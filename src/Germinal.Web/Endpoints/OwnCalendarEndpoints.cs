using Germinal.Service;
using Germinal.Service.Meetings;
using Germinal.Store;
using Germinal.Web.Hosting;
using Microsoft.AspNetCore.Http.HttpResults;
using Microsoft.EntityFrameworkCore;

namespace Germinal.Web.Endpoints;

/// <summary>The calendars one keeps elsewhere: everybody has their own, and sees nobody else's.</summary>
public static class OwnCalendarEndpoints
{
    private const int MostBytes = Channels.OutsideFetch.MostBytes;

    /// <param name="Name">What it is called; empty for the address's own.</param>
    /// <param name="Address">Where it is read.</param>
    public sealed record CalendarBody([AtMost(Lengths.Name)] string Name = "", [AtMost(2000)] string Address = "");

    public static void Map(IEndpointRouteBuilder app)
    {
        var calendars = app.MapGroup("/api/own-calendars").WithTags("meetings").RequireAuthorization(Rights.Work);
        calendars.MapGet("", (GerminalDb db, Caller caller, CancellationToken stop) => OwnCalendars.OfAsync(db, caller.Id, stop));
        calendars.MapPost("", Add);
        calendars.MapPost("/file", AddFile);
        calendars.MapPost("/{id:guid}/read", Read);
        calendars.MapDelete("/{id:guid}", Remove);
    }

    private static async Task<Results<Ok<IReadOnlyList<OwnCalendarDto>>, ValidationProblem>> Add(CalendarBody body, GerminalDb db, OwnCalendars calendars, Caller caller, CancellationToken stop)
    {
        var name = body.Name.Trim();
        if (name.Length == 0)
        {
            name = Channels.OutsideFetch.AddressOf(body.Address)?.Host ?? Said("A calendar");
        }

        return await calendars.AddAsync(db, caller.Id, name, body.Address, null, stop) is { } wrong
            ? Problems.Field(wrong.Field, wrong.Message)
            : TypedResults.Ok(await OwnCalendars.OfAsync(db, caller.Id, stop));
    }

    private static async Task<Results<Ok<IReadOnlyList<OwnCalendarDto>>, ValidationProblem>> AddFile(IFormFile file, GerminalDb db, OwnCalendars calendars, Caller caller, CancellationToken stop)
    {
        if (file.Length is 0 or > MostBytes)
        {
            return Problems.Field("file", Say($"The file is {(file.Length == 0 ? Said("empty") : Said("too large"))}; up to {MostBytes / 1024 / 1024} MB can be read."));
        }

        using var content = new MemoryStream();
        await file.CopyToAsync(content, stop);
        var name = Path.GetFileNameWithoutExtension(file.FileName).Replace("\0", "", StringComparison.Ordinal).Trim();
        return await calendars.AddAsync(db, caller.Id, name.Length is 0 or > Lengths.Name ? Said("A calendar") : name, null, content.ToArray(), stop) is { } wrong
            ? Problems.Field(wrong.Field, wrong.Message)
            : TypedResults.Ok(await OwnCalendars.OfAsync(db, caller.Id, stop));
    }

    /// <summary>Reads one again now.</summary>
    private static async Task<Results<Ok<IReadOnlyList<OwnCalendarDto>>, NotFound>> Read(Guid id, GerminalDb db, OwnCalendars calendars, Caller caller, CancellationToken stop)
    {
        if (!await db.OwnCalendars.AnyAsync(c => c.Id == id && c.MemberId == caller.Id, stop))
        {
            return TypedResults.NotFound();
        }

        await calendars.ReadDueAsync(id, stop);
        return TypedResults.Ok(await OwnCalendars.OfAsync(db, caller.Id, stop));
    }

    private static async Task<Results<Ok<IReadOnlyList<OwnCalendarDto>>, NotFound>> Remove(Guid id, GerminalDb db, Caller caller, CancellationToken stop) =>
        await OwnCalendars.RemoveAsync(db, caller.Id, id, stop) ? TypedResults.Ok(await OwnCalendars.OfAsync(db, caller.Id, stop)) : TypedResults.NotFound();
}
