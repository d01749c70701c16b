import js from "@eslint/js";
import hooks from "eslint-plugin-react-hooks";
import ts from "typescript-eslint";

export default ts.config(
  { ignores: ["dist", "src/api/schema.d.ts"] },
  js.configs.recommended,
  ...ts.configs.recommended,
  {
    plugins: { "react-hooks": hooks },
    rules: {
      "react-hooks/rules-of-hooks": "error",
      "react-hooks/exhaustive-deps": "error",
      // What can be taken in at a glance.
      "max-lines": ["error", 350],
      "max-lines-per-function": ["error", 150],
    },
  },
  { files: ["**/*.test.ts", "**/*.test.tsx"], rules: { "max-lines-per-function": "off" } },
);
