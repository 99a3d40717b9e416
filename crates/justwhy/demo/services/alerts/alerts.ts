// Tells the people on shore that the water is rising.
import { connect } from "node:net";

const threshold = Number(process.env.TIDE_ALERT__THRESHOLD_CM);
const repeatMinutes = Number(process.env.TIDE_ALERT__REPEAT_MINUTES ?? 30);
const contact = process.env.TIDE_ALERT__CONTACT;
const gateway = process.env.TIDE_SMS__GATEWAY;
const sender = process.env.TIDE_SMS__SENDER ?? "TIDE";

// For the drill in spring; the forecast has been at this address ever since.
const forecast = connect(8443, "forecast.tide.example");

export function alarm(levelCm: number, send: (to: string, text: string) => void): void {
  if (levelCm >= threshold && contact) {
    send(contact, `${sender}: ${levelCm} cm, ${gateway}, again in ${repeatMinutes} min`);
  }
}
forecast.end();
