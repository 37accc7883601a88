using System.Collections.Concurrent;
using System.Globalization;
using System.Runtime.CompilerServices;
using System.Text;

namespace Germinal.Core.Words;

/// <summary>
/// Says what the code says in the tongue that is spoken (<see cref="Tongue.Spoken"/>). The message of the catalogue is what stands in the code,
/// with its values counted: <c>Say($"{name} has {n:one call|# calls}")</c> is <c>{0} has {1, plural, one {one call} other {# calls}}</c>.
/// </summary>
public static class Saying
{
    private static readonly ConcurrentDictionary<string, Held> Read = new(StringComparer.Ordinal);

    /// <summary>A message with values. A number followed by two forms, <c>{n:one call|# calls}</c>, is said in the one that fits; <c>#</c> is the number.</summary>
    public static string Say(FormattableString message)
    {
        var culture = Tongue.Spoken.Culture;
        var held = Read.GetOrAdd(message.Format, HeldOf);
        object? ValueOf(string name)
        {
            var value = message.GetArgument(int.Parse(name, CultureInfo.InvariantCulture));
            return held.Formats.TryGetValue(name, out var format) && value is IFormattable written ? written.ToString(format, culture) : value;
        }

        return (Tongue.Spoken.Catalogue.For(held.Message) ?? held.Own).Say(ValueOf, culture);
    }

    /// <summary>A message without values. What stands at its end in ‹› tells it from another of the same words, and is not said.</summary>
    public static string Said(string message) => Tongue.Spoken.Catalogue.For(message)?.Say(_ => null, CultureInfo.InvariantCulture) ?? (message.EndsWith('›') ? message[..message.LastIndexOf('‹')] : message);

    /// <summary>A message that was kept by <see cref="ToSay"/>, with its values: <c>{0}</c> is the first.</summary>
    public static string SaidWith(string message, params object?[] values) => Say(FormattableStringFactory.Create(message, values));

    /// <summary>A message that is said later, by <see cref="Said"/> or <see cref="SaidWith"/>: in a table that is made once, for whoever may read it. It stands in the catalogue as others do.</summary>
    public static string ToSay(string message) => message;

    /// <summary>A format of the code, read once.</summary>
    /// <param name="Message">What stands for it in the catalogue.</param>
    /// <param name="Own">The same, to be said where the catalogue has no other words.</param>
    /// <param name="Formats">How a value is written that says so itself, <c>{share:0.0}</c>, by its place.</param>
    private sealed record Held(string Message, Message Own, IReadOnlyDictionary<string, string> Formats);

    private static Held HeldOf(string format)
    {
        var message = new StringBuilder();
        var formats = new Dictionary<string, string>(StringComparer.Ordinal);
        for (var i = 0; i < format.Length; i++)
        {
            if (format[i] is '{' or '}' && i + 1 < format.Length && format[i + 1] == format[i])
            {
                message.Append('\'').Append(format[i]).Append('\'');
                i++;
            }
            else if (format[i] == '{')
            {
                var end = format.IndexOf('}', i);
                var hole = format[(i + 1)..end].Split(':', 2);
                var how = hole.Length == 2 ? hole[1] : "";
                if (how.Split('|') is [var one, var many])
                {
                    message.Append(CultureInfo.InvariantCulture, $"{{{hole[0]}, plural, one {{{one}}} other {{{many}}}}}");
                }
                else if (how == "N0")
                {
                    message.Append(CultureInfo.InvariantCulture, $"{{{hole[0]}, number}}");
                }
                else
                {
                    message.Append('{').Append(hole[0]).Append('}');
                    if (how.Length > 0)
                    {
                        formats[hole[0]] = how;
                    }
                }

                i = end;
            }
            else
            {
                message.Append(format[i]);
            }
        }

        var key = message.ToString();
        return new Held(key, Message.Read(key), formats);
    }
}
