import js from "@eslint/js";
import hooks from "eslint-plugin-react-hooks";
import globals from "globals";
import typescript from "typescript-eslint";

const STAGES = ["script", "cast", "adapt", "time", "mix", "deliver"];
const only = (patterns) => ({ "no-restricted-imports": ["error", { patterns }] });

export default typescript.config(
  { ignores: ["dist", "src/shared/api/schema.generated.ts"] },
  js.configs.recommended,
  ...typescript.configs.strict,
  hooks.configs.flat["recommended-latest"],
  { languageOptions: { globals: globals.browser } },
  // Floors: shared is used by all and knows none of them; stages know shared alone, never each other or the frame.
  ...STAGES.map((stage) => ({
    files: [`src/stages/${stage}/**`],
    rules: only([
      { group: ["**/frame/**"], message: "A stage does not know the frame: what both need is in shared." },
      { group: STAGES.filter((other) => other !== stage).flatMap((other) => [`**/stages/${other}/**`, `../${other}/**`]), message: "Stages do not know each other: what several need is in shared." },
    ]),
  })),
  {
    files: ["src/shared/**"],
    rules: only([{ group: ["**/frame/**", "**/stages/**", "**/productions/**"], message: "What is shared knows nothing of who uses it." }]),
  },
);
