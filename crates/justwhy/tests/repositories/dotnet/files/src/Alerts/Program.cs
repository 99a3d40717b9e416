var environment = Environment.GetEnvironmentVariable("TIDE_ENVIRONMENT") ?? "Production";
var builder = new Builder()
    .AddJsonFile("appsettings.json")
    .AddJsonFile($"appsettings.{environment}.json", optional: true)
    .AddEnvironmentVariables();
var port = Environment.GetEnvironmentVariable("PORT") ?? "5080";
