using System.Collections.Concurrent;
using NodaTime;

namespace Germinal.Service.Engine;

/// <summary>Public holidays of a country for a span of years, from the PublicHoliday package.</summary>
public static class PublicHolidays
{
    private static readonly ConcurrentDictionary<string, IReadOnlyList<LocalDate>> Known = new(StringComparer.Ordinal);

    /// <summary>The days off of a country from 2000 to 2079, observed days included; none for a country it does not know.</summary>
    public static IReadOnlyList<LocalDate> Of(string country) =>
        Known.GetOrAdd(
            country,
            c =>
            {
                PublicHoliday.IPublicHolidays? calendar = c switch
                {
                    "AT" => new PublicHoliday.AustriaPublicHoliday(),
                    "AU" => new PublicHoliday.AustraliaPublicHoliday(),
                    "CH" => new PublicHoliday.SwitzerlandPublicHoliday(),
                    "DE" => new PublicHoliday.GermanPublicHoliday(),
                    "IE" => new PublicHoliday.IrelandPublicHoliday(),
                    "NZ" => new PublicHoliday.NewZealandPublicHoliday(),
                    "US" => new PublicHoliday.USAPublicHoliday(),
                    "GB" => new PublicHoliday.UKBankHoliday(),
                    "CA" => new PublicHoliday.CanadaPublicHoliday(),
                    _ => null,
                };
                return calendar is null ? [] : [.. Enumerable.Range(2000, 80).SelectMany(y => calendar.PublicHolidays(y)).Select(LocalDate.FromDateTime)];
            }
        );
}
