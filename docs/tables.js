/**
 * Writes the tables of the documentation that are made of the source: node docs/tables.js; with --check says whether
 * they are.
 */
import { readFileSync, writeFileSync } from 'node:fs'
import { statusRows, usualStatuses } from '../packages/yosei/dist/internals.js'

const stages = [
  'match',
  'admit',
  'identify',
  'receive',
  'attest',
  'read',
  'shape',
  'rules',
  'turn',
  'lookups',
  'handle',
]
/** Statuses that a service chooses itself. */
const own = [
  ['identify', '`identify` refused', '401 403', 'a refusal', '`WWW-Authenticate` with a 401', '`header.authorization`'],
  ['lookups', "a lookup's own `refusal`", 'its own', 'a refusal', 'its own', 'its own'],
  ['handle', 'the handler refused', 'its own', 'a refusal', 'its own', 'its own'],
]
const rows = Object.entries(statusRows)
  .flatMap(([name, rows]) =>
    rows.map(([stage, what, headers, at]) => [stage, what, String(usualStatuses[name]), `\`${name}\``, headers, at]),
  )
  .concat(own)
  .sort((a, b) => stages.indexOf(a[0]) - stages.indexOf(b[0]))
const heads = ['stage', 'what went wrong', 'status', 'name in `statuses`', 'with', 'at']
const widths = heads.map((head, column) => Math.max(head.length, ...rows.map((row) => row[column].length)))
const line = (cells) => `| ${cells.map((cell, column) => cell.padEnd(widths[column])).join(' | ')} |`
const table = [line(heads), line(widths.map((width) => '-'.repeat(width))), ...rows.map(line)].join('\n')

const file = new URL('statuses.md', import.meta.url)
const before = readFileSync(file, 'utf8')
const after = before.replace(
  /<!-- statuses -->[\s\S]*?<!-- end -->/,
  () => `<!-- statuses -->\n\n${table}\n\n<!-- end -->`,
)
if (!process.argv.includes('--check')) writeFileSync(file, after)
else if (before !== after) {
  console.error('docs/statuses.md is not what the source says: run node docs/tables.js')
  process.exitCode = 1
}
