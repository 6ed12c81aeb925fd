// The scripts' one rule beyond their types: a promise is awaited, handed on, or let go by name (void).
import tseslint from "typescript-eslint";

export default tseslint.config({
  files: ["**/*.js"],
  ignores: ["**/vendor/**", "**/clock-worker.js", "**/events-worker.js", "**/palette.js"],
  languageOptions: { parser: tseslint.parser, parserOptions: { project: "./jsconfig.json", tsconfigRootDir: import.meta.dirname } },
  plugins: { "@typescript-eslint": tseslint.plugin },
  linterOptions: { reportUnusedDisableDirectives: true },
  rules: { "@typescript-eslint/no-floating-promises": ["error", { ignoreVoid: true }] },
});
