using System.Collections.Concurrent;
using NodaTime;
using PublicHoliday;

namespace Germinal.Service.Engine;

/// <summary>Public holidays of a country for a span of years, from the PublicHoliday package.</summary>
public static class PublicHolidays
{
    private static readonly SortedDictionary<string, IPublicHolidays> Calendars = new(StringComparer.Ordinal)
    {
        ["AT"] = new AustriaPublicHoliday(),
        ["AU"] = new AustraliaPublicHoliday(),
        ["CA"] = new CanadaPublicHoliday(),
        ["CH"] = new SwitzerlandPublicHoliday(),
        ["DE"] = new GermanPublicHoliday(),
        ["GB"] = new UKBankHoliday(),
        ["IE"] = new IrelandPublicHoliday(),
        ["NZ"] = new NewZealandPublicHoliday(),
        ["US"] = new USAPublicHoliday(),
    };

    private static readonly ConcurrentDictionary<string, IReadOnlyList<LocalDate>> Known = new(StringComparer.Ordinal);

    /// <summary>The countries whose holidays it knows, ISO 3166-1.</summary>
    public static IReadOnlyList<string> Countries { get; } = [.. Calendars.Keys];

    /// <summary>The days off of a country from 2000 to 2079, observed days included; none for a country it does not know.</summary>
    public static IReadOnlyList<LocalDate> Of(string country) =>
        Known.GetOrAdd(
            country,
            c => Calendars.GetValueOrDefault(c) is { } calendar ? [.. Enumerable.Range(2000, 80).SelectMany(y => calendar.PublicHolidays(y)).Select(LocalDate.FromDateTime)] : []
        );

    /// <summary>The days off of a country between two dates, each with its name, in order; none for a country it does not know.</summary>
    /// <param name="country">ISO 3166-1.</param>
    /// <param name="from">The first date.</param>
    /// <param name="until">The last one.</param>
    public static IReadOnlyList<(LocalDate Date, string Name)> Named(string country, LocalDate from, LocalDate until) =>
        Calendars.GetValueOrDefault(country) is not { } calendar
            ? []
            :
            [
                .. Enumerable
                    .Range(from.Year, until.Year - from.Year + 1)
                    .SelectMany(y => calendar.PublicHolidayNames(y))
                    .Select(h => (LocalDate.FromDateTime(h.Key), h.Value))
                    .Where(h => h.Item1 >= from && h.Item1 <= until)
                    .OrderBy(h => h.Item1),
            ];
}
