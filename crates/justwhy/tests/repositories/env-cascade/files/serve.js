const mode = process.env.MODE || "production";
const port = process.env.PORT || 8080;
serve(mode, port);
