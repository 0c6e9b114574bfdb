// Prints the Khronos validator's reports on the files that are named, as one JSON array.
const fs = require("fs");
const validator = require("gltf-validator");

Promise.all(process.argv.slice(2).map((file) => validator.validateBytes(new Uint8Array(fs.readFileSync(file))))).then(
  (reports) => console.log(JSON.stringify(reports)),
);
