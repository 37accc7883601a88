using System.Text;
using Germinal.Channels.Letters;
using Germinal.Core.Contact;
using Germinal.Core.Engine;
using Germinal.Core.Files;
using Germinal.Core.Practices;

namespace Germinal.Cli.Input;

/// <summary>Reads the files that commands name, and says everything that is wrong with them at once.</summary>
public static class Files
{
    /// <summary>A file's text.</summary>
    /// <exception cref="InputException">It is not there, cannot be read, or is not UTF-8.</exception>
    public static string Text(string path)
    {
        try
        {
            return new UTF8Encoding(false, throwOnInvalidBytes: true).GetString(File.ReadAllBytes(path)).TrimStart('\uFEFF');
        }
        catch (DecoderFallbackException)
        {
            throw new InputException([$"{path}: this is not UTF-8 text; save it as UTF-8."]);
        }
        catch (Exception e) when (e is FileNotFoundException or DirectoryNotFoundException)
        {
            throw new InputException([$"{path}: there is no such file."]);
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException)
        {
            throw new InputException([$"{path}: this file cannot be read ({e.Message})."]);
        }
    }

    /// <summary>A practice file.</summary>
    /// <exception cref="InputException">Anything is wrong with it.</exception>
    public static Practice Practice(string path)
    {
        var reading = PracticeFile.Read(Text(path));
        return reading.Practice ?? throw new InputException([.. reading.Errors.Select(e => Line(path, e))]);
    }

    /// <summary>Program files, checked as the checker does; warnings are let pass.</summary>
    /// <exception cref="InputException">Anything is wrong with any of them.</exception>
    public static IReadOnlyList<ProgramVersion> Programs(IReadOnlyList<string> paths, Practice practice, LiquidLetters letters)
    {
        var checkup = ProgramCheckup.Of(paths, letters, againstSchema: false);
        var errors = checkup
            .Findings.Where(f => !f.Finding.IsWarning)
            .Select(f => Line(f.Path, f.Finding))
            .Concat(checkup.Read.SelectMany(r => ProgramCheck.SenderFindings(r.Program, practice).Select(f => Line(r.Path, f))))
            .ToList();
        return errors.Count > 0
            ? throw new InputException(errors)
            : checkup.Read.Select(r => new ProgramVersion(ProgramId(r.Program.Name), 1, r.Program)).ToList();
    }

    /// <summary>A people file.</summary>
    /// <exception cref="InputException">Anything is wrong with it.</exception>
    public static IReadOnlyList<PersonFacts> People(string path, Practice practice)
    {
        var errors = new List<string>();
        var file = CsvFile.Read(path, errors);
        errors.AddRange(PeopleFile.HeaderFindings(file.Header).Select(m => $"{path}: line 1: {m}"));
        if (errors.Count > 0)
        {
            throw new InputException(errors);
        }

        var people = new List<PersonFacts>();
        var lines = new Dictionary<string, int>(StringComparer.Ordinal);
        foreach (var row in file.Rows)
        {
            var found = new List<string>();
            var person = PeopleFile.Read(row.Cells, practice, found);
            if (!lines.TryAdd(person.Handle, row.Line) && person.Handle.Length > 0)
            {
                found.Add($"The id “{person.Handle}” stands on line {lines[person.Handle]} already; each person needs their own.");
            }

            people.Add(person);
            errors.AddRange(found.Select(m => $"{path}: line {row.Line}: {m}"));
        }

        return errors.Count > 0 ? throw new InputException(errors) : people;
    }

    /// <summary>The events of a file by person, each person's in the order of time; of one moment in the order of the file.</summary>
    /// <exception cref="InputException">Anything is wrong with it.</exception>
    public static ILookup<string, Happening> Events(string path, Practice practice, IReadOnlyList<ProgramVersion> programs, IReadOnlyList<PersonFacts> people)
    {
        var errors = new List<string>();
        var file = CsvFile.Read(path, errors);
        errors.AddRange(
            new[] { "at", "person", "kind" }
                .Where(c => !file.Header.Contains(c, StringComparer.Ordinal))
                .Select(c => $"{path}: line 1: The column “{c}” is missing.")
        );
        errors.AddRange(
            file.Header.Where(c => !EventsFile.Columns.Contains(c, StringComparer.Ordinal))
                .Select(c => $"{path}: line 1: “{c}” is not a column; {string.Join(", ", EventsFile.Columns)} are.")
        );
        if (errors.Count > 0)
        {
            throw new InputException(errors);
        }

        var reader = new EventsFile(practice, programs);
        var known = people.Select(p => p.Handle).ToHashSet(StringComparer.Ordinal);
        var events = new List<(string Person, Happening Event)>();
        foreach (var row in file.Rows)
        {
            var found = new List<string>();
            var person = row.Cells["person"].Trim();
            if (!known.Contains(person))
            {
                found.Add($"There is no person “{person}” in the people file.");
            }

            if (reader.Read(row.Cells, found) is { } happening && found.Count == 0)
            {
                events.Add((person, happening));
            }

            errors.AddRange(found.Select(m => $"{path}: line {row.Line}: {m}"));
        }

        return errors.Count > 0
            ? throw new InputException(errors)
            : events.OrderBy(e => e.Event.At).ToLookup(e => e.Person, e => e.Event, StringComparer.Ordinal);
    }

    /// <summary>A finding as one line: file, pointer, what is wrong and what would be right.</summary>
    public static string Line(string path, Finding finding) =>
        $"{path}: {(finding.Pointer.Length == 0 ? "/" : finding.Pointer)}: {(finding.IsWarning ? "warning: " : "")}{finding.Message}";

    private static Guid ProgramId(string name) => StableId.Of(Guid.Empty, $"program/{name}");
}
