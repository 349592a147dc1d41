// What ./test holds the scripts to. They are plain modules: nothing builds them.
import js from "@eslint/js";
import globals from "globals";

export default [
  { ignores: ["merak/web/static/vendor/**", "node_modules/**", "var/**", ".venv/**", "docs/**"] },
  js.configs.recommended,
  {
    files: ["merak/web/static/js/**/*.js"],
    languageOptions: { globals: globals.browser, ecmaVersion: 2024, sourceType: "module" },
    rules: { "no-var": "error", "no-unused-vars": ["error", { ignoreRestSiblings: true }], "prefer-const": "error", eqeqeq: "error", "no-implicit-globals": "error", "max-lines": ["error", 200] },
  },
  { files: ["tests/js/**", "eslint.config.js"], languageOptions: { globals: globals.node } },
];
