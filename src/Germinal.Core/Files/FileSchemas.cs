namespace Germinal.Core.Files;

/// <summary>The published JSON Schemas (draft 2020-12) of the files, as text.</summary>
public static class FileSchemas
{
    /// <summary>The schema of <c>germinal.program/1</c>.</summary>
    public static string Program => Text("program");

    /// <summary>The schema of <c>germinal.practice/1</c>.</summary>
    public static string Practice => Text("practice");

    /// <summary>The schema of <c>germinal.form/1</c>.</summary>
    public static string Form => Text("form");

    private static string Text(string name)
    {
        using var stream = typeof(FileSchemas).Assembly.GetManifestResourceStream($"{name}.schema.json")!;
        using var reader = new StreamReader(stream);
        return reader.ReadToEnd();
    }
}
