/** Verdicts in the words and at the places of the page. */
import { type FieldError, formatAddress, parseAddress, type Reading } from 'yosei'
import type { Judged } from '../../src/terms.ts'
import { rawAt, type Scene, shownText } from './edits.ts'
import { cut } from './message.ts'
import { withoutSecrets } from './secrets.ts'

/** What is reported at each line. */
export interface Notes {
  readonly readings: ReadonlyMap<string, Reading>
  readonly faults: ReadonlyMap<string, readonly FieldError[]>
}

export const statusOf = ({ outcome, status }: Judged) => (outcome === 'rejected' ? String(status) : outcome)

export function summaryOf(judged: Judged): string {
  if (judged.outcome === 'accepted') return 'every field and rule holds'
  if (judged.outcome === 'pending') return `not asked: ${judged.unasked.join(', ')}`
  const count = judged.errors.length + judged.more
  if (count > 0) return count === 1 ? '1 error' : `${count} errors`
  if (judged.unmatched) return noEndpoint(judged)
  return `stopped at “${judged.stage}”`
}

/** What became of the same request after a change on disk. */
export function changeOf(old: Judged, now: Judged): string {
  const keys = ({ errors }: Judged) => new Set(errors.map(({ address, code }) => `${address} ${code}`))
  const [one, two] = [keys(old), keys(now)]
  const gone = [...one].filter((key) => !two.has(key)).map((key) => `− ${key}`)
  const come = [...two].filter((key) => !one.has(key)).map((key) => `+ ${key}`)
  const status = statusOf(old) === statusOf(now) ? '' : `${statusOf(old)} is ${statusOf(now)} now`
  const all = [status, ...come, ...gone].filter(Boolean)
  return all.length === 0
    ? 'judged again after a change on disk: the same verdict'
    : `judged again after a change on disk: ${all.join(', ')}`
}

/** Readings and faults at the lines that there are; a fault at no line is reported at the one above it. */
export function notesOf(scene: Scene | undefined, judged: Judged | undefined): Notes {
  const readings = new Map<string, Reading>(judged?.readings.map((one) => [one.address, one]))
  const faults = new Map<string, FieldError[]>()
  const known = new Set(scene?.ledger.lines.map(({ address }) => address))
  for (const error of [...(judged?.errors ?? []), ...unmatchedIn(judged)]) {
    let address = error.address
    while (address !== '' && !known.has(address)) address = above(address)
    if (address === '' && error.address !== '') address = error.address.split(/[.[]/)[0] ?? ''
    faults.set(address, [...(faults.get(address) ?? []), error])
  }
  return { readings, faults }
}

/** That no endpoint takes a path is reported there. */
function unmatchedIn(judged: Judged | undefined): readonly FieldError[] {
  if (!judged?.unmatched) return []
  const { nearest } = judged.unmatched
  const message = nearest === undefined ? noEndpoint(judged) : `${noEndpoint(judged)}; the nearest is ${nearest}`
  return [{ part: 'path', address: 'path', code: String(judged.status), message, stage: 'match' }]
}
const noEndpoint = ({ status }: Judged) => `no endpoint has this ${status === 405 ? 'method here' : 'path'}`

/** The address that holds this one; nothing above a part. */
export const above = (address: string): string => formatAddress((parseAddress(address) ?? []).slice(0, -1))
export const isJson = (json: string) => {
  try {
    JSON.parse(json)
    return true
  } catch {
    return false
  }
}

/** The values as they were read, for a call that writes them. */
export function partsOf(scene: Scene, judged: Judged | undefined): { readonly [part: string]: unknown } {
  if (judged?.input) return judged.input as { readonly [part: string]: unknown }
  const body = scene.ledger.pieces && cut(withoutSecrets(scene), scene.ledger.pieces.body)
  const part = (name: string) =>
    Object.fromEntries(
      scene.ledger.lines.flatMap((line) =>
        line.part === name && line.path.length === 2 && line.slice && !line.isSecret
          ? [[line.label, shownText(rawAt(scene.text, line), line)]]
          : [],
      ),
    )
  return {
    path: part('path'),
    query: part('query'),
    header: part('header'),
    ...(body ? { body: isJson(body) ? JSON.parse(body) : body } : {}),
  }
}
