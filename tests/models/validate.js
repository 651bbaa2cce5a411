// Asks the format's reference validator about each file: no error, no warning, and no remark either,
// but that texture coordinates are there without a texture: a user brings that.
// usage: node validate.js FILE...
const fs = require('fs');
const validator = require('gltf-validator');

(async () => {
  let wrong = 0;
  for (const file of process.argv.slice(2)) {
    const report = await validator.validateBytes(new Uint8Array(fs.readFileSync(file)));
    const messages = report.issues.messages.filter(({ code, pointer }) =>
      code !== 'UNUSED_OBJECT' || !pointer.endsWith('TEXCOORD_0'));
    if (messages.length === 0) continue;
    wrong += 1;
    console.log(file, JSON.stringify(messages, null, 1));
  }
  process.exit(wrong === 0 ? 0 : 1);
})();
