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
    private static readonly ConcurrentDictionary<string, string> Messages = new(StringComparer.Ordinal);

    /// <summary>A message with values. A number followed by two forms, <c>{n:one call|# calls}</c>, is said in the one that fits; <c>#</c> is the number.</summary>
    public static string Say(FormattableString message)
    {
        var tongue = Tongue.Spoken;
        var words = tongue.Catalogue.For(MessageOf(message.Format));
        return words is null
            ? string.Format(new Forms(tongue.Culture), message.Format, message.GetArguments())
            : words.Say(name => message.GetArgument(int.Parse(name, CultureInfo.InvariantCulture)), tongue.Culture);
    }

    /// <summary>A message without values. What stands at its end in ‹› tells it from another of the same words, and is not said.</summary>
    public static string Said(string message) => Tongue.Spoken.Catalogue.For(message)?.Say(_ => null, CultureInfo.InvariantCulture) ?? (message.EndsWith('›') ? message[..message.LastIndexOf('‹')] : message);

    /// <summary>A message that was kept by <see cref="ToSay"/>, with its values: <c>{0}</c> is the first.</summary>
    public static string SaidWith(string message, params object?[] values) => Say(FormattableStringFactory.Create(message, values));

    /// <summary>A message that is said later, by <see cref="Said"/> or <see cref="SaidWith"/>: in a table that is made once, for whoever may read it. It stands in the catalogue as others do.</summary>
    public static string ToSay(string message) => message;

    /// <summary>What stands in the catalogue for a format of the code.</summary>
    internal static string MessageOf(string format) =>
        Messages.GetOrAdd(
            format,
            static f =>
            {
                var message = new StringBuilder();
                for (var i = 0; i < f.Length; i++)
                {
                    if (f[i] is '{' or '}' && i + 1 < f.Length && f[i + 1] == f[i])
                    {
                        message.Append('\'').Append(f[i]).Append('\'');
                        i++;
                    }
                    else if (f[i] == '{')
                    {
                        var end = f.IndexOf('}', i);
                        var hole = f[(i + 1)..end].Split(':', 2);
                        var forms = hole.Length == 2 ? hole[1].Split('|') : [];
                        message.Append(
                            forms.Length == 2 ? $"{{{hole[0]}, plural, one {{{forms[0]}}} other {{{forms[1]}}}}}"
                            : hole.Length == 2 && hole[1] == "N0" ? $"{{{hole[0]}, number}}"
                            : $"{{{hole[0]}}}"
                        );
                        i = end;
                    }
                    else
                    {
                        message.Append(f[i]);
                    }
                }

                return message.ToString();
            }
        );

    /// <summary>How values are written in the words of the code.</summary>
    private sealed class Forms(CultureInfo culture) : IFormatProvider, ICustomFormatter
    {
        public object? GetFormat(Type? formatType) => formatType == typeof(ICustomFormatter) ? this : null;

        public string Format(string? format, object? arg, IFormatProvider? formatProvider)
        {
            if (format?.Split('|') is [var one, var many])
            {
                var number = Convert.ToDecimal(arg, CultureInfo.InvariantCulture);
                return (number == 1 ? one : many).Replace("#", number.ToString("#,##0.###", culture), StringComparison.Ordinal);
            }

            return arg switch
            {
                null => "",
                IFormattable value => value.ToString(format, format is null ? CultureInfo.InvariantCulture : culture),
                _ => arg.ToString() ?? "",
            };
        }
    }
}
