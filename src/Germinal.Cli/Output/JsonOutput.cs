using System.Text.Encodings.Web;
using System.Text.Json;
using Germinal.Core.Practices;
using Germinal.Core.Time;

namespace Germinal.Cli.Output;

/// <summary>Touches as one JSON list, with the keys of the CSV's columns; <c>settled</c> and <c>reason</c> null where there is none.</summary>
internal static class JsonOutput
{
    public static void Write(IEnumerable<TouchLine> lines, Practice practice, bool why, StreamWriter output)
    {
        output.Flush();
        using var json = new Utf8JsonWriter(
            output.BaseStream,
            new JsonWriterOptions { Indented = true, Encoder = JavaScriptEncoder.UnsafeRelaxedJsonEscaping }
        );
        json.WriteStartArray();
        foreach (var line in lines)
        {
            var zone = practice.ZoneOf(line.Person);
            json.WriteStartObject();
            json.WriteString("person", line.Person.Handle);
            json.WriteString("program", line.Touch.Program.Definition.Name);
            json.WriteNumber("run", line.Touch.Run);
            json.WriteString("step", line.Touch.Step.Id);
            json.WriteString("kind", line.Touch.Step.Kind);
            json.WriteString("due", Moments.Write(line.Touch.Due, zone));
            json.WriteString("settled", line.Touch.SettledAt is { } at ? Moments.Write(at, zone) : null);
            json.WriteString("outcome", line.Outcome);
            json.WriteString("reason", line.Reason.Length > 0 ? line.Reason : null);
            if (why)
            {
                json.WriteStartArray("why");
                foreach (var sentence in line.Sentences(practice))
                {
                    json.WriteStringValue(sentence);
                }

                json.WriteEndArray();
            }

            json.WriteEndObject();
        }

        json.WriteEndArray();
        json.Flush();
        output.WriteLine();
    }
}
