const port = process.env.GAUGE_PORT ?? "5000";
const sender = process.env.SMS_SENDER;

export { port, sender };
