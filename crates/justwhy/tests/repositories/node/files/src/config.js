import { readFileSync } from "node:fs";
import { loadEnvFile } from "node:process";

loadEnvFile(".env");

const environment = process.env.NODE_ENV ?? "development";
const read = (path) => JSON.parse(readFileSync(path, "utf8"));

const merge = (weak, strong) => {
  const merged = { ...weak };
  for (const [key, value] of Object.entries(strong)) {
    const isTable = value && typeof value === "object" && !Array.isArray(value);
    merged[key] = isTable ? merge(merged[key] ?? {}, value) : value;
  }
  return merged;
};

export const settings = merge(
  read("config/default.json"),
  read(`config/${environment}.json`),
);
