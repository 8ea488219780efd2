/** Who asks: what of a message says so, and how it becomes another's. */
import type { Caller, Draft } from '../../src/terms.ts'
import { leftOut, rawAt, type Scene, sceneOf, typed } from './edits.ts'

/** The place of the caller that a request speaks for. */
export function callerOf(scene: Scene, draft: Draft, callers: readonly Caller[]): number | undefined {
  const sent = new Map(
    scene.ledger.lines.flatMap((line) =>
      line.part === 'header' && line.slice ? [[String(line.path[1]), rawAt(scene.text, line)] as const] : [],
    ),
  )
  const found = callers.findIndex(
    ({ headers, who }) => who === draft.who && headers.every(([name, value]) => sent.get(name) === value),
  )
  return found < 0 ? undefined : found
}

/** The message with what identifies a caller; without what identified others. */
export function asCaller(scene: Scene, caller: Caller | undefined, callers: readonly Caller[]): string {
  const wanted = new Map(caller?.headers)
  const names = new Set([...callers.flatMap(({ headers }) => headers.map(([name]) => name)), ...wanted.keys()])
  return [...names].reduce((text, name) => {
    const now = sceneOf(scene.outline, scene.base, text, [`header.${name}`])
    const line = now.ledger.lines.find(({ part, path }) => part === 'header' && path[1] === name)
    const value = wanted.get(name)
    if (!line) return text
    return value === undefined ? leftOut(now, line) : typed(now, line, value)
  }, scene.text)
}
