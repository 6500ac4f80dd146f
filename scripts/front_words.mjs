// Every message of the front end as JSON: what say, sayWith and sayCount are given, with where it stands.
import { readdirSync, readFileSync } from "node:fs";
import { createRequire } from "node:module";
import { join } from "node:path";

const front = process.argv[2];
const ts = createRequire(join(front, "package.json"))("typescript");
const found = new Map();

function keep(id, more, where, values) {
  const key = more === undefined ? id : `${id}\n${more}`;
  const one = found.get(key) ?? { id, more, where: [], values };
  one.where.push(where);
  found.set(key, one);
}

function look(node, file) {
  if (ts.isTaggedTemplateExpression(node) && /^say(With)?$/.test(node.tag.getText())) {
    const said = node.template;
    const spans = ts.isTemplateExpression(said) ? said.templateSpans : [];
    const head = ts.isTemplateExpression(said) ? said.head.text : said.text;
    const id = spans.reduce((all, span, at) => `${all}{${at}}${span.literal.text}`, head);
    keep(id, undefined, file, spans.map((span) => span.expression.getText().replace(/\s+/g, " ").slice(0, 60)));
  }
  if (ts.isCallExpression(node) && node.expression.getText() === "sayCount") {
    const [, one, more] = node.arguments;
    keep(one.text, more.text, file, []);
  }
  ts.forEachChild(node, (child) => look(child, file));
}

for (const name of readdirSync(join(front, "src"), { recursive: true, encoding: "utf8" }).sort()) {
  if (!/\.tsx?$/.test(name) || /\.test\.|\.gen\./.test(name)) continue;
  const text = readFileSync(join(front, "src", name), "utf8");
  look(ts.createSourceFile(name, text, ts.ScriptTarget.Latest, true, name.endsWith("x") ? ts.ScriptKind.TSX : ts.ScriptKind.TS), name);
}
process.stdout.write(JSON.stringify([...found.values()]));
