/** What is found in declarations, for tools that review code: SARIF 2.1.0 (OASIS). */
import { createRequire } from 'node:module'
import { relative, resolve, sep } from 'node:path'
import type { Log, ReportingDescriptor, Result } from 'sarif'
import type { Place } from './place.js'

export interface Finding {
  readonly rule: string
  readonly level: 'error' | 'warning'
  readonly text: string
  readonly file: string
  readonly place: Place | undefined
  /** What it is about, whatever line it moves to. */
  readonly about: string
}
/** What may be found, and what to do then. */
export type Rules = { readonly [name: string]: readonly [what: string, mend: string] }

const { version } = createRequire(import.meta.url)('../package.json') as { readonly version: string }

export function sarifOf(findings: readonly Finding[], rules: Rules): string {
  const names = Object.keys(rules)
  const log: Log = {
    $schema: 'https://json.schemastore.org/sarif-2.1.0.json',
    version: '2.1.0',
    runs: [
      {
        tool: { driver: { name: 'yosei', version, rules: Object.entries(rules).map(descriptorOf) } },
        columnKind: 'utf16CodeUnits',
        results: findings.map((one) => resultOf(one, names.indexOf(one.rule))),
      },
    ],
  }
  return JSON.stringify(log, null, 2)
}

const descriptorOf = ([id, [what, mend]]: readonly [string, Rules[string]]): ReportingDescriptor => ({
  id,
  shortDescription: { text: what },
  help: { text: `${mend}.` },
})

function resultOf({ rule, level, text, file, place, about }: Finding, ruleIndex: number): Result {
  const region = place && place.line > 0 ? { region: { startLine: place.line, startColumn: place.column } } : {}
  return {
    ruleId: rule,
    ruleIndex,
    level,
    message: { text },
    locations: [
      {
        physicalLocation: { artifactLocation: { uri: uriOf(file), uriBaseId: '%SRCROOT%' }, ...region },
        logicalLocations: [{ fullyQualifiedName: about }],
      },
    ],
    partialFingerprints: { 'about/v1': `${rule} ${about}` },
  }
}

/** From the folder that the command runs in, with slashes. */
const uriOf = (file: string): string => relative('.', resolve(file)).split(sep).map(encodeURIComponent).join('/')
