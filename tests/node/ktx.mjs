// Prints what ktx-parse reads of the files that are named, as one JSON array; levels in hexadecimal.
import fs from "fs";
import { read } from "ktx-parse";

const told = process.argv.slice(2).map((file) => {
  const found = read(new Uint8Array(fs.readFileSync(file)));
  const block = found.dataFormatDescriptor[0];
  return {
    vkFormat: found.vkFormat, width: found.pixelWidth, height: found.pixelHeight, layers: found.layerCount, faces: found.faceCount,
    model: block.colorModel, transfer: block.transferFunction, bytes: block.bytesPlane[0], side: block.texelBlockDimension[0] + 1,
    samples: block.samples.map((each) => [each.bitOffset, each.bitLength + 1, each.channelType]),
    levels: found.levels.map((level) => Buffer.from(level.levelData).toString("hex")),
  };
});
console.log(JSON.stringify(told));
