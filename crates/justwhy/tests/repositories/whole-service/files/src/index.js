import { load } from "./settings.js";
import "dotenv/config";

const environment = process.env.APP_ENV || "staging";
const settings = load("config/default.yaml", `config/${environment}.yaml`);
const level = process.env.LOG_LEVEL || "info";
const retries = Number(process.env.RETRIES || 3);
if (!process.env.API_KEY) throw new Error("API_KEY is missing");
