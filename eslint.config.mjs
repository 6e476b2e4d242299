// The scripts that ship: one style, no name that is not there.
import js from "@eslint/js";
import globals from "globals";

export default [
  { ignores: ["**/vendor/**", "node_modules/**", ".venv/**"] },
  js.configs.recommended,
  {
    files: ["src/galene/web/**/*.js", "src/galene/commands/**/*.js"],
    languageOptions: { globals: { ...globals.browser, Alpine: "readonly", htmx: "readonly", uPlot: "readonly" } },
    rules: {
      "no-unused-vars": ["error", { argsIgnorePattern: "^_", varsIgnorePattern: "^_", caughtErrors: "none" }],
      eqeqeq: "error",
      "no-var": "error",
      "prefer-const": "error",
    },
  },
  { files: ["src/galene/web/shared/static/sw.js"], languageOptions: { globals: globals.serviceworker } },
  { files: ["scripts/*.mjs", "tests/scripts/*.mjs", "*.mjs"], languageOptions: { globals: globals.node } },
];
