// Every text that a person may read, from the sources: of the web client (what stands between tags, in attributes and
// in strings) and of the program (strings outside of tests, but for the lists of words that suggestions compare). One line
// each: file, line, text.
//   node scripts/strings.mjs [web|program]
import { readdirSync, readFileSync } from "node:fs";
import { createRequire } from "node:module";
import { join, relative } from "node:path";

const root = join(import.meta.dirname, "..");
const typescript = createRequire(join(root, "web/package.json"))("typescript");

const filesOf = (folder, wanted) =>
  readdirSync(join(root, folder), { recursive: true })
    .map((name) => join(root, folder, name))
    .filter(wanted)
    .sort();

const squeezed = (text) => text.replaceAll(/\s+/g, " ").trim();

/** A word or more that somebody reads, and not a name, a path, a list of classes or a piece of a program. */
const isRead = (text) => /\p{L}{2}/u.test(text);

/** Attributes whose texts nobody reads. */
const unread = new Set(
  ("className look id htmlFor type role to href d fill stroke style autoComplete inputMode orientation value viewBox " +
    "align side position tone end size scope name for accept key data-testid strokeDasharray").split(" "),
);
/** Words that a program needs: a key of a query, a class, an address. */
const isCode = (text) =>
  /^[\w./:{}?&=#@-]+$/.test(text) || /^(\S*[-[\]:/]\S*\s*)+$/.test(text) || /^\S+\.(tsx?|css|rs)$/.test(text);

function ofWeb(file) {
  const { SyntaxKind: K, ...ts } = typescript;
  const source = ts.createSourceFile(file, readFileSync(file, "utf8"), ts.ScriptTarget.Latest, true, ts.ScriptKind.TSX);
  const found = [];
  const add = (node, text) => found.push([source.getLineAndCharacterOfPosition(node.getStart()).line + 1, text]);
  const isClasses = (node) => {
    for (let up = node.parent; up; up = up.parent) {
      if (ts.isImportDeclaration(up)) return true;
      if (ts.isJsxAttribute(up)) return unread.has(up.name.getText());
      if (ts.isJsxElement(up) || ts.isJsxExpression(up)) continue;
      if (ts.isPropertyAssignment(up) && ["queryKey", "className", "role", "method"].includes(up.name.getText()))
        return true;
      if (ts.isFunctionLike(up)) return false;
    }
    return false;
  };
  const walk = (node) => {
    if (node.kind === K.JsxText) add(node, squeezed(node.text));
    else if (ts.isTemplateExpression(node)) {
      if (!isClasses(node))
        add(node, squeezed(node.head.text + node.templateSpans.map((s) => `…${s.literal.text}`).join("")));
    } else if (ts.isStringLiteralLike(node) && !isClasses(node) && !isCode(node.text)) add(node, squeezed(node.text));
    ts.forEachChild(node, walk);
  };
  walk(source);
  return found;
}

/** The strings of a Rust source that stand outside of its tests and comments. */
function ofProgram(file) {
  let text = readFileSync(file, "utf8");
  // A module of tests stands last in its file.
  const tests = /#\[cfg\(test\)\]\n(#\[[^\n]*\]\n)*mod \w+ \{/.exec(text);
  if (tests) text = text.slice(0, tests.index);
  const found = [];
  const token = /\/\/[^\n]*|\/\*[\s\S]*?\*\/|r(#*)"([\s\S]*?)"\1|'(?:\\.|[^'\\])'|"((?:\\[\s\S]|[^"\\])*)"/g;
  for (const at of text.matchAll(token)) {
    const said = at[2] ?? at[3];
    // What a panic would show is for the log.
    if (said === undefined || /\b(expect|panic!|unreachable!|assert\w*!)\($/.test(text.slice(0, at.index))) continue;
    const plain = squeezed(said.replaceAll(/\\\n\s*/g, "").replaceAll(/\\u\{[^}]*\}/g, "").replaceAll('\\"', '"'));
    found.push([text.slice(0, at.index).split("\n").length, plain]);
  }
  return found.filter(([, said]) => said.includes(" "));
}

export function strings(which) {
  const of = {
    web: () => [filesOf("web/src", (f) => /\.tsx?$/.test(f) && !/\.test\.|schema\.d\.ts|some-\w+\.ts/.test(f)), ofWeb],
    program: () => [
      ["core", "connect", "engine", "evidence", "intake", "server", "cli"].flatMap((crate) =>
        filesOf(`crates/${crate}/src`, (f) => f.endsWith(".rs") && !/\/tests?(\/|\.rs)|\/suggest\/(names|values)\.rs/.test(f)),
      ),
      ofProgram,
    ],
  }[which]();
  return of[0].flatMap((file) =>
    of[1](file)
      .filter(([, text]) => isRead(text))
      .map(([line, text]) => ({ file: relative(root, file), line, text })),
  );
}

if (process.argv[1] === import.meta.filename)
  for (const which of process.argv[2] ? [process.argv[2]] : ["web", "program"])
    for (const { file, line, text } of strings(which)) console.log(`${file}:${line}\t${text}`);
