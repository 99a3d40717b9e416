const environment = process.env.NODE_ENV || "development";
const database = require("./config/database.js")[environment];
const features = require("./config/features.json");
