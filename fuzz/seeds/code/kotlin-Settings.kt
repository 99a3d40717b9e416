package example.tide

// System.getenv("TIDE_COMMENTED") ?: "x"
object Settings {
    val level = System.getenv("TIDE_LEVEL") ?: "info"
    val port = System.getenv("TIDE_PORT")?.toInt() ?: 8080
    val url = System.getenv("TIDE_URL") ?: error("TIDE_URL is not set")
    val host = System.getenv()["TIDE_HOST"] ?: "localhost"
    val token = System.getenv("TIDE_TOKEN")!!
    val stage = System.getenv("TIDE_STAGE")
    val window = System.getenv("TIDE_WINDOW")?.toIntOrNull()
        ?: 15
    val region = System.getProperty("tide.region") ?: "north"
    val team = System.getenv().getOrElse("TIDE_TEAM") { "shorewatch" }
    val feed = System.getenv().getOrDefault("TIDE_FEED", "https://feed.tide.example")
    val key = requireNotNull(System.getenv("TIDE_KEY")) { "TIDE_KEY is not set" }
    val zone = System.getenv().getValue("TIDE_ZONE")
    val debug = System.getenv("TIDE_DEBUG") == "1"
    val node = System.getenv("TIDE_NODE") ?: InetAddress.getLocalHost().hostName
    val label = "level ${System.getenv("TIDE_LABEL") ?: "low"} now"
    val limit = System.getenv("TIDE_LIMIT")?.let { it.toInt() } ?: 40
    val mode = System.getenv("TIDE_MODE") ?: throw IllegalStateException("TIDE_MODE")

    @Value("\${tide.pool:10}")
    lateinit var pool: String
}
