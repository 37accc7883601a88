using System.Globalization;
using System.Text.Json;
using System.Text.Json.Serialization;
using NodaTime;
using NodaTime.Text;

namespace Germinal.Core.Engine;

/// <summary>A person's whole state as one JSON value, and back. Saving and loading changes nothing.</summary>
public static class PersonStateJson
{
    private static readonly JsonSerializerOptions Options = new()
    {
        PropertyNamingPolicy = JsonNamingPolicy.CamelCase,
        DefaultIgnoreCondition = JsonIgnoreCondition.WhenWritingNull,
        Converters = { new InstantJson(), new LocalDateJson(), new JsonStringEnumConverter(JsonNamingPolicy.KebabCaseLower) },
    };

    /// <summary>The state as JSON.</summary>
    public static string Write(PersonState state) => JsonSerializer.Serialize(state, Options);

    /// <summary>The state of a JSON value that <see cref="Write"/> made, now or with an earlier form.</summary>
    /// <exception cref="NotSupportedException">It was written by a newer Germinal, whose states this one cannot read whole.</exception>
    public static PersonState Read(string json)
    {
        var state = JsonSerializer.Deserialize<PersonState>(json, Options) ?? PersonState.Empty;

        // What an earlier form has not said is as it is at first: read whole, it is in the form of now.
        return state.Form == PersonState.CurrentForm ? state
            : state.Form < PersonState.CurrentForm ? state with { Form = PersonState.CurrentForm }
            : throw new NotSupportedException(
                string.Create(
                    CultureInfo.InvariantCulture,
                    $"What is remembered of this person was written by a newer Germinal (form {state.Form}; this one reads up to {PersonState.CurrentForm}). Start that one, or restore a backup from before."
                )
            );
    }

    private sealed class InstantJson : JsonConverter<Instant>
    {
        public override Instant Read(ref Utf8JsonReader reader, Type typeToConvert, JsonSerializerOptions options) =>
            InstantPattern.ExtendedIso.Parse(reader.GetString()!).Value;

        public override void Write(Utf8JsonWriter writer, Instant value, JsonSerializerOptions options) =>
            writer.WriteStringValue(InstantPattern.ExtendedIso.Format(value));
    }

    private sealed class LocalDateJson : JsonConverter<LocalDate>
    {
        public override LocalDate Read(ref Utf8JsonReader reader, Type typeToConvert, JsonSerializerOptions options) =>
            LocalDatePattern.Iso.Parse(reader.GetString()!).Value;

        public override void Write(Utf8JsonWriter writer, LocalDate value, JsonSerializerOptions options) =>
            writer.WriteStringValue(LocalDatePattern.Iso.Format(value));
    }
}
