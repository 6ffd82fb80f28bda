import hooks from "eslint-plugin-react-hooks";
import tseslint from "typescript-eslint";

const RESTRICTED = [
  { selector: "ExportAllDeclaration", message: "An index lists what it exports." },
  { selector: "ExportDefaultDeclaration", message: "No default exports outside Next's own files." },
];

export default tseslint.config(
  {
    ignores: [
      "node_modules",
      ".next",
      "dist",
      "public/engine",
      "core/kernels/**/*assembly.ts",
      "next-env.d.ts",
      "**/*.cjs",
    ],
  },
  ...tseslint.configs.recommended,
  {
    files: ["**/*.{ts,tsx}"],
    languageOptions: { parserOptions: { projectService: true } },
    plugins: { "react-hooks": hooks },
    rules: {
      ...hooks.configs.recommended.rules,
      // It warns of what React's compiler leaves alone; that compiler is not used.
      "react-hooks/incompatible-library": "off",
      "@typescript-eslint/no-floating-promises": "error",
      "@typescript-eslint/no-misused-promises": ["error", { checksVoidReturn: { attributes: false } }],
      "@typescript-eslint/no-unused-vars": ["error", { argsIgnorePattern: "^_", varsIgnorePattern: "^_" }],
      "@typescript-eslint/no-unused-expressions": "off",
      "@typescript-eslint/only-throw-error": "error",
      "@typescript-eslint/consistent-type-imports": [
        "error",
        { fixStyle: "separate-type-imports", disallowTypeAnnotations: false },
      ],
      // 0 is a legal value nearly everywhere here: defaults are taken with ??, never with ||.
      "@typescript-eslint/prefer-nullish-coalescing": ["error", { ignorePrimitives: { boolean: true, string: true } }],
      "max-lines": ["error", { max: 400, skipBlankLines: true, skipComments: true }],
      eqeqeq: "error",
      "no-restricted-syntax": ["error", ...RESTRICTED],
    },
  },
  {
    files: ["app/**/{page,layout}.tsx", "**/*.config.*", "core/testing/*.d.ts"],
    rules: { "no-restricted-syntax": "off" },
  },
  {
    // A promise that nobody waits for has its failure told; in the interface, handlers of events may start one (its job tells).
    files: ["{core,engine,storage,state,cli}/**/*.ts"],
    ignores: ["**/*.test.ts", "**/testing.ts"],
    rules: { "no-void": "error" },
  },
  {
    files: ["ui/**/*.{ts,tsx}"],
    ignores: ["**/*.test.tsx"],
    rules: {
      "no-restricted-syntax": [
        "error",
        ...RESTRICTED,
        {
          selector:
            "CallExpression[callee.name=/^(useEffect|useLayoutEffect|setTimeout)$/] UnaryExpression[operator='void']",
          message: "Outside handlers of events a failure is caught, and told.",
        },
      ],
    },
  },
  {
    files: ["**/*.test.ts"],
    rules: { "@typescript-eslint/no-floating-promises": "off" },
  },
);
