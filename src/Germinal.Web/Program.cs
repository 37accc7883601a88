await Germinal.Web.Application.RunAsync(args);

/// <summary>For tests that host the application.</summary>
public partial class Program;
