package example.tide;

public class Collector {
    private final String zone = System.getenv().getOrDefault("TIDE_ZONE", "north");

    String profile() {
        String profile = System.getenv("TIDE_PROFILE");
        return profile == null ? "staging" : profile;
    }

    boolean isLive(String profile) {
        return "production".equals(profile);
    }
}
