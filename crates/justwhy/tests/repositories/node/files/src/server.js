import { settings } from "./config.js";

const level = process.env.LOG_LEVEL ?? "warn";
const retries = Number(process.env.FEED_RETRIES ?? 5);
const feed = process.env.FEED_URL || "https://feed.tide.example/levels";
const database = process.env.DATABASE_URL;

console.log(level, retries, feed, database, settings.server.port);
