import hooks from "eslint-plugin-react-hooks";
import ts from "typescript-eslint";

export default ts.config(
  { ignores: ["src/api/schema.d.ts", "dist"] },
  ...ts.configs.recommended,
  {
    plugins: { "react-hooks": hooks },
    rules: {
      "react-hooks/rules-of-hooks": "error",
      "react-hooks/exhaustive-deps": "error",
      "no-restricted-syntax": [
        "error",
        {
          selector: "Property[key.name='queryKey'] > ArrayExpression",
          message: "Take the key from src/api/keys.ts, so that what changes it can ask for it again.",
        },
        {
          selector: "CallExpression[callee.property.name='invalidateQueries'][arguments.length=0]",
          message: "Say what may have changed: see refresh in src/api/keys.ts.",
        },
        {
          selector:
            "JSXOpeningElement[name.name='Button']:not(:has(JSXAttribute[name.name='why'])) > JSXAttribute[name.name='onClick'] ArrowFunctionExpression > UnaryExpression > CallExpression[callee.name='navigate']",
          message: "What only leads to another page is a link, named after that page: see ButtonLink.",
        },
      ],
    },
  },
);
