// A picture of a page that takes its time: node shoot.mjs URL FILE CONDITION. It waits until the condition holds in the page, and needs chromedriver.

import { spawn } from "node:child_process";
import { writeFileSync } from "node:fs";

const [url, file, condition] = process.argv.slice(2);
const port = 9517;
const driver = spawn("chromedriver", [`--port=${port}`], { stdio: "ignore" });
const ask = async (method, path, body) => {
  const response = await fetch(`http://127.0.0.1:${port}/session${path}`, { method, body: body && JSON.stringify(body) });
  return (await response.json()).value;
};
const pause = (milliseconds) => new Promise((resolve) => setTimeout(resolve, milliseconds));
try {
  await pause(1000);
  const args = ["--headless", "--no-sandbox", "--disable-gpu", "--hide-scrollbars", "--window-size=1280,943"];
  const { sessionId } = await ask("POST", "", { capabilities: { alwaysMatch: { "goog:chromeOptions": { args } } } });
  await ask("POST", `/${sessionId}/url`, { url });
  for (let tries = 0; tries < 100; tries += 1) {
    if (await ask("POST", `/${sessionId}/execute/sync`, { script: `return ${condition}`, args: [] })) break;
    await pause(100);
  }
  await pause(300);
  writeFileSync(file, Buffer.from(await ask("GET", `/${sessionId}/screenshot`), "base64"));
  await ask("DELETE", `/${sessionId}`);
} finally {
  driver.kill();
}
