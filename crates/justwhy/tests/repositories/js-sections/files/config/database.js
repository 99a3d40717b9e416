module.exports = {
  development: {
    host: "localhost", // the first
    pool: 2,
    logging: true,
  },
  test: {
    host: "localhost",
    pool: 1,
  },
  production: {
    host: process.env.DB_HOST || "db.tide.example",
    pool: 20,
    ssl: { required: true },
  },
};
