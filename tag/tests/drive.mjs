// Drives a browser through cases that come as JSON on stdin and says, line by line, what each page threw.
// {engine: "chrome" | "firefox", executable, agent, at_once, cases: [{name, url, steps, hold}]}
import puppeteer from "puppeteer-core";

let asked = "";
for await (const part of process.stdin) asked += part;
const { engine, executable, agent, at_once, cases } = JSON.parse(asked);
const chromium = [
  "--no-sandbox",
  "--disable-gpu",
  "--disable-quic",
  "--disable-background-networking",
  // The address bar's suggestions are pages of their own, in every window.
  "--disable-features=WebUIOmniboxPopup,WebUIOmniboxAimPopup",
  `--user-agent=${agent}`,
];
const launched = () =>
  puppeteer.launch({
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
  click: async (page, where) => (await page.waitForSelector(where, { timeout: 20000 })).click(),
  twice: async (page, where) => (await page.waitForSelector(where)).click({ count: 2, delay: 20 }),
  middle: async (page, where) => (await page.waitForSelector(where)).click({ button: "middle" }),
  at: async (page, where) => {
    const { x, y } = await page.$eval(where, (e) => {
      const box = e.getBoundingClientRect();
      return { x: box.x + Math.min(12, box.width / 2), y: box.y + box.height / 2 };
    });
    await page.mouse.click(x, y);
  },
  fill: async (page, where, text) => {
    const field = await page.waitForSelector(where, { timeout: 20000 });
    await field.click({ count: 3 });
    await page.keyboard.type(text);
  },
  mouse: (page, x, y) => page.mouse.click(x, y),
  press: (page, key) => page.keyboard.press(key),
  wait: (_page, ms) => pause(ms),
  run: (page, code) => page.evaluate(code),
  until: (page, code) => page.waitForFunction(code, { timeout: 20000, polling: 50 }),
  open: (page, url) => page.goto(url, { waitUntil: "load" }),
  back: (page) => page.evaluate("history.back()"),
};

async function play(browser, { name, url, steps, hold }) {
  const context = await browser.createBrowserContext();
  const errors = [];
  try {
    const page = await context.newPage();
    // Firefox tells what a policy keeps out as an error.
    page.on("pageerror", (error) => {
      const text = String(error?.message ?? error);
      if (!text.startsWith("Content-Security-Policy")) errors.push(text);
    });
    await page.goto(url, { waitUntil: "load" });
    // Somebody is there.
    await page.mouse.move(3, 3);
    await page.mouse.move(9, 9);
    await pause(500);
    for (const [what, ...said] of steps) {
      await step[what](page, ...said);
      await pause(120);
    }
    await pause(hold);
    // Firefox says nothing of a page that leaves one that came back.
    await Promise.race([page.goto("about:blank").catch(() => {}), pause(1500)]);
    await pause(300);
  } catch (error) {
    errors.push(`driver: ${error?.message ?? error}`);
  }
  await Promise.race([context.close().catch(() => {}), pause(3000)]);
  process.stdout.write(`${JSON.stringify({ name, errors })}\n`);
}

const waiting = [...cases].sort((a, b) => b.hold - a.hold);
await Promise.all(
  // A browser each: only the page in front is drawn.
  Array.from({ length: Math.min(at_once, cases.length) }, async () => {
    const browser = await launched();
    for (let next = waiting.shift(); next; next = waiting.shift()) await play(browser, next);
    await Promise.race([browser.close(), pause(5000)]);
  }),
);
process.exit(0);
