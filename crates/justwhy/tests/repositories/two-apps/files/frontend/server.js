import "dotenv/config";

const port = process.env.PORT || 4000;
const title = process.env.TITLE ?? "Tides";
console.log(port, title, process.env.PUBLIC_URL);
