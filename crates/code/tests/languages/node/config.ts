import { env } from "node:process";
import { z } from "./shapes";

// The usual fallback was process.env.TIDE_OLD ?? "gone".
export const level = process.env.TIDE_LEVEL ?? "info";
export const port = Number(process.env.TIDE_PORT || 8080);
export const feed = process.env["TIDE_FEED"] ?? 'https://feed.tide.example/levels';
export const host = env.TIDE_HOST || `localhost`;
export const stage = process.env.TIDE_STAGE!;
export const window = parseInt(process.env.TIDE_WINDOW ?? "15", 10) * 60;

const {
  TIDE_REGION = "north",
  TIDE_TEAM: team = "shorewatch",
  TIDE_TOKEN,
} = process.env;

export const debug = process.env.TIDE_DEBUG === "1";
export const limit = process.env.TIDE_LIMIT ? Number(process.env.TIDE_LIMIT) : 40;
export const home = process.env.TIDE_HOME ?? os.homedir();
export const url = `https://${process.env.TIDE_API_HOST ?? "api.tide.example"}/v1`;

if (!process.env.TIDE_SECRET) {
  throw new Error("TIDE_SECRET is not set: process.env.TIDE_SECRET");
}
process.env.TIDE_ZONE = "utc";
delete process.env.TIDE_PROXY;

/* process.env.TIDE_COMMENTED ?? "never" */
const schema = z.object({
  TIDE_POOL: z.coerce.number().int().min(1).default(10),
  TIDE_SENDER: z.string().email(),
});

export const retries = 60 * 1000 + Number(process.env.TIDE_RETRIES ?? 2 * 3);
export const mode = process.env.TIDE_MODE
  ?? "fast";
export const both = process.env.TIDE_FIRST || process.env.TIDE_SECOND || "third";
export const key = required(process.env.TIDE_KEY);
export const pattern = /process\.env\.TIDE_PATTERN/;
export const limitless = process.env.TIDE_LIMITLESS ?? null;
export const build = import.meta.env.TIDE_BUILD ?? "dev";
export const deno = Deno.env.get("TIDE_DENO") ?? "off";
export const helper = getEnv("TIDE_HELPER", "yes");
export const has = "TIDE_HAS" in process.env;
