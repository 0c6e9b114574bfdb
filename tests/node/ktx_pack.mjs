// Has ktx-parse write a KTX2 file again, its levels packed: node ktx_pack.mjs FROM TO SCHEME ORIENTATION, levels in
// hexadecimal as a JSON array on standard input.
import fs from "fs";
import { read, write } from "ktx-parse";

const [from, to, scheme, orientation] = process.argv.slice(2);
const found = read(new Uint8Array(fs.readFileSync(from)));
const packed = JSON.parse(fs.readFileSync(0, "utf8"));
found.supercompressionScheme = Number(scheme);
found.keyValue.KTXorientation = orientation;
found.levels.forEach((level, number) => { level.levelData = new Uint8Array(Buffer.from(packed[number], "hex")); });
fs.writeFileSync(to, write(found));
