package example.tide;

/** Reads System.getenv("TIDE_IN_JAVADOC"). */
public final class Settings {
    private static final Map<String, String> env = System.getenv();
    static final String LEVEL = System.getenv().getOrDefault("TIDE_LEVEL", "info");
    static final int PORT = Integer.parseInt(env.getOrDefault("TIDE_PORT", "8080"));
    static final String URL = System.getenv("TIDE_URL");
    static final String HOST = System.getenv("TIDE_HOST") != null ? System.getenv("TIDE_HOST") : "localhost";
    static final int WINDOW = Optional.ofNullable(System.getenv("TIDE_WINDOW"))
            .map(Integer::parseInt)
            .orElse(15);
    static final String FEED = Objects.requireNonNullElse(System.getenv("TIDE_FEED"), "https://feed.tide.example");
    static final String TOKEN = Objects.requireNonNull(System.getenv("TIDE_TOKEN"), "TIDE_TOKEN is not set");
    static final String REGION = System.getProperty("tide.region", "north");
    static final int LIMIT = Integer.getInteger("tide.limit", 40);
    static final boolean DEBUG = "1".equals(System.getenv("TIDE_DEBUG"));
    static final long TIMEOUT = Long.getLong("tide.timeout", 5_000L);
    static final String STAGE = System.getProperty("tide.stage");
    // System.getenv("TIDE_COMMENTED")
    static final String KEY = Optional.ofNullable(System.getenv("TIDE_KEY")).orElseThrow();
    static final String NODE = Optional.ofNullable(System.getenv("TIDE_NODE")).orElse(hostName());
    static final String HELP = "set System.getenv(\"TIDE_IN_STRING\")";

    @Value("${tide.sender:alerts@tide.example}")
    private String sender;

    @Value("${tide.pool}")
    private int pool;

    @ConfigProperty(name = "tide.queue", defaultValue = "readings")
    String queue;

    @ConfigProperty(name = "tide.desk")
    String desk;

    Settings() {
        if (System.getenv("TIDE_TRACE") != null) {
            trace();
        }
        if (System.getenv().containsKey("TIDE_HAS")) {
            trace();
        }
    }
}
