// Drives a browser through cases that come as JSON on stdin and says, line by line, what each page threw.
// {engine: "chrome" | "firefox", executable, agent, at_once, cases: [{name, url, steps, hold}]}
import { readFileSync } from "node:fs";
import puppeteer from "puppeteer-core";

const { engine, executable, agent, at_once, cases } = JSON.parse(readFileSync(0, "utf8"));
const chromium = ["--no-sandbox", "--disable-gpu", "--disable-quic", "--disable-background-networking", `--user-agent=${agent}`];
const browser = await puppeteer.launch({
  browser: engine,
  executablePath: executable,
  headless: true,
  protocol: engine === "firefox" ? "webDriverBiDi" : "cdp",
  args: engine === "chrome" ? chromium : [],
  // What a person's browser does and an automated one is set not to do.
  extraPrefsFirefox: { "dom.serviceWorkers.testing.enabled": true, "privacy.partition.serviceWorkers": false },
});

const pause = (ms) => new Promise((done) => setTimeout(done, ms));
const step = {
  click: (page, where) => page.locator(where).setTimeout(5000).click(),
  twice: async (page, where) => (await page.waitForSelector(where)).click({ count: 2, delay: 20 }),
  middle: async (page, where) => (await page.waitForSelector(where)).click({ button: "middle" }),
  fill: (page, where, text) => page.locator(where).setTimeout(5000).fill(text),
  press: (page, key) => page.keyboard.press(key),
  wait: (_page, ms) => pause(ms),
  run: (page, code) => page.evaluate(code),
  until: (page, code) => page.waitForFunction(code, { timeout: 5000, polling: 50 }),
  open: (page, url) => page.goto(url, { waitUntil: "load" }),
  back: (page) => page.goBack(),
};

async function play({ name, url, steps, hold }) {
  const context = await browser.createBrowserContext();
  const errors = [];
  try {
    const page = await context.newPage();
    page.on("pageerror", (error) => errors.push(String(error?.message ?? error)));
    await page.goto(url, { waitUntil: "load" });
    await pause(400);
    for (const [what, ...said] of steps) {
      await step[what](page, ...said);
      await pause(120);
    }
    await pause(hold);
    await page.goto("about:blank");
    await pause(300);
  } catch (error) {
    errors.push(`driver: ${error?.message ?? error}`);
  }
  await Promise.race([context.close().catch(() => {}), pause(3000)]);
  process.stdout.write(`${JSON.stringify({ name, errors })}\n`);
}

const waiting = [...cases].sort((a, b) => b.hold - a.hold);
await Promise.all(
  Array.from({ length: at_once }, async () => {
    for (let next = waiting.shift(); next; next = waiting.shift()) await play(next);
  }),
);
await Promise.race([browser.close(), pause(5000)]);
process.exit(0);
