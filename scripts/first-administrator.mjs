// Makes the demo's first administrator, if nobody can sign in yet, and keeps the sign-in in a file.
// usage: node first-administrator.mjs ADDRESS FILE
import { randomBytes } from "node:crypto";
import { existsSync, writeFileSync } from "node:fs";

const [address, file] = process.argv.slice(2);
const setup = await (await fetch(`${address}/api/v1/setup`)).json();
if (setup.needs_first_administrator) {
  const password = randomBytes(9).toString("base64url");
  const answer = await fetch(`${address}/api/v1/setup`, {
    method: "POST",
    headers: { "content-type": "application/json" },
    body: JSON.stringify({ login: "admin", name: "Demo administrator", password }),
  });
  if (!answer.ok) throw new Error(await answer.text());
  writeFileSync(file, `admin with the password ${password}\n`, { mode: 0o600 });
} else if (!existsSync(file)) {
  writeFileSync(file, "the administrator you made\n", { mode: 0o600 });
}
