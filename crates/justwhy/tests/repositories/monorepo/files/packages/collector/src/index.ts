import settings from "../config/default.json" with { type: "json" };

const host = process.env.GAUGE_HOST ?? "localhost";
const port = Number(process.env.GAUGE_PORT ?? "6000");
const zone = process.env.GAUGE_ZONE ?? "north";

export { settings, host, port, zone };
