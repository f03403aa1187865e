import type { Cell } from './cell.ts';

const text = (value: string): string =>
  value
    // What XML 1.0 has no place for.
    .replace(/[^\t\n\r\u0020-\ud7ff\ue000-\ufffd\u{10000}-\u{10ffff}]/gu, '\ufffd')
    .replace(/[&<>"]/g, (c) => `&#${c.charCodeAt(0)};`);

/** Every rule of every cell as a test, in the XML that build servers read: what blocks has failed, what is only noted is skipped. */
export function junitXml(cells: readonly Cell[], unread: readonly { path: string; message: string }[]): string {
  const suites = cells.map((cell) => {
      const suite = text(cell.folder),
        rows = [
          ...(cell.state === 'failed'
            ? [
                `<testcase classname="${suite}" name="converted"><error message="${text(cell.problem ?? '')}"/></testcase>`,
              ]
            : []),
          ...cell.checks.map((check) => {
            const head = `<testcase classname="${suite}" name="${text(`${check.rule} ${check.title}`)}"`;
            if (check.ok) return `${head}/>`;
            return check.blocking
              ? `${head}><failure message="${text(check.message)}"/></testcase>`
              : `${head}><skipped message="${text(check.message)}"/></testcase>`;
          }),
          ...cell.drift.map(
            (line) =>
              `<testcase classname="${suite}" name="${text(`baseline ${line.split(':')[0]}`)}"><failure message="${text(line)}"/></testcase>`,
          ),
        ];
      return `<testsuite name="${suite}" tests="${rows.length}" failures="${count(rows, '<failure')}" errors="${count(rows, '<error')}" skipped="${count(rows, '<skipped')}" time="${cell.seconds}">\n${rows.join('\n')}\n</testsuite>`;
    }),
    files = unread.map(
      ({ path, message }) =>
        `<testcase classname="inputs" name="${text(path)}"><error message="${text(message)}"/></testcase>`,
    );
  if (files.length)
    suites.unshift(
      `<testsuite name="inputs" tests="${files.length}" failures="0" errors="${files.length}" skipped="0" time="0">\n${files.join('\n')}\n</testsuite>`,
    );
  return `<?xml version="1.0" encoding="UTF-8"?>\n<testsuites>\n${suites.join('\n')}\n</testsuites>\n`;
}

const count = (rows: readonly string[], tag: string): number => rows.filter((row) => row.includes(tag)).length;
