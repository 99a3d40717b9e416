namespace Tide;

// Environment.GetEnvironmentVariable("TIDE_COMMENTED") ?? "x"
public sealed class Settings(IConfiguration configuration)
{
    public string Level => Environment.GetEnvironmentVariable("TIDE_LEVEL") ?? "info";
    public int Port => int.Parse(Environment.GetEnvironmentVariable("TIDE_PORT") ?? "8080");
    public string? Url => Environment.GetEnvironmentVariable("TIDE_URL");
    public string Token => Environment.GetEnvironmentVariable("TIDE_TOKEN") ?? throw new InvalidOperationException("TIDE_TOKEN");
    public string Host => configuration["Tide:Host"] ?? "localhost";
    public int Pool => configuration.GetValue<int>("Tide:Pool", 10);
    public int Batch => configuration.GetValue("Tide:Batch", 50);
    public string? Desk => configuration["Tide:Desk"];
    public bool Debug => Environment.GetEnvironmentVariable("TIDE_DEBUG") == "1";
    public string Node => Environment.GetEnvironmentVariable("TIDE_NODE") ?? Dns.GetHostName();
    public string Path => Environment.GetEnvironmentVariable("TIDE_PATH") ?? @"C:\tide\data";
    public string Label => $"level {Environment.GetEnvironmentVariable("TIDE_LABEL") ?? "low"} now";
    public string Help => "Environment.GetEnvironmentVariable(\"TIDE_IN_STRING\")";
    public string Zone => Environment.GetEnvironmentVariable("TIDE_ZONE", EnvironmentVariableTarget.Process) ?? "utc";
}
