// What modules read of the browser when they are loaded.
Object.assign(globalThis, {
  matchMedia: () => ({ matches: false, addEventListener: () => {}, removeEventListener: () => {} }),
  document: globalThis.document ?? { cookie: "" },
});
