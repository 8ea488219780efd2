/** Requests to begin with: as small or as full as they were made, but with values that a person would send. */
import type { Bench, Draft, Sheet, Shelf } from '../../src/terms.ts'
import { leaf, rawAt, type Scene, sceneOf, sendRaw, shownText, typed } from './edits.ts'
import type { Line } from './lines.ts'

/** So many samples are looked at. */
const most = 6

/** @param which How much of the endpoint is filled in. */
export async function startOf(
  bench: Bench,
  { outline, base, ...made }: Sheet,
  which: 'smallest' | 'fullest',
  shelf: Shelf | undefined,
): Promise<Draft | undefined> {
  const good = Object.entries(shelf?.stamps ?? {}).filter(([, { isGood }]) => isGood)
  const idsOf = (isOwn: boolean) =>
    good.flatMap(([id, stamp]) => ((stamp.endpoint === outline.name) === isOwn ? [id] : []))
  const [own, others] = await Promise.all(
    [idsOf(true), idsOf(false)].map((ids) => Promise.all(ids.slice(0, most).map((id) => bench.sample(id)))),
  )
  const sample = own?.[0]
  const draft = made[which]
  if (!draft) return sample
  const known = [...(own ?? []), ...(others ?? [])].map(({ message }) => sceneOf(outline, base, message))
  const { now = draft.now, who = draft.who } = sample ?? {}
  const likely: Draft = {
    message: withKnown(sceneOf(outline, base, draft.message), known.slice(0, own?.length), known),
    ...(now === undefined ? {} : { now }),
    ...(who === undefined ? {} : { who }),
  }
  const usual = which === 'smallest' ? [likely, sample, draft] : [likely, draft, sample]
  for (const one of usual) if (one && (await isGoodDraft(bench, one))) return one
  return draft
}

const isGoodDraft = (bench: Bench, draft: Draft): Promise<boolean> =>
  bench.judge(draft).then(
    ({ outcome }) => outcome !== 'rejected',
    () => false,
  )

/** The request with the values that samples of the endpoint have at the same lines, or others under the same names. */
function withKnown(scene: Scene, own: readonly Scene[], all: readonly Scene[]): string {
  const isLike = (one: Line, line: Line) =>
    one.slice !== undefined && !one.isHead && one.codec === line.codec && one.depth > 0
  return scene.ledger.lines
    .filter(({ isHead, slice, depth }) => !isHead && slice && depth > 0)
    .reduce((text, line) => {
      const now = sceneOf(scene.outline, scene.base, text)
      const here = now.ledger.lines.find(({ address }) => address === line.address)
      if (!here) return text
      for (const other of own) {
        const found = other.ledger.lines.find((one) => one.address === line.address && isLike(one, line))
        if (found) return sendRaw(now, here, rawAt(other.text, found))
      }
      for (const other of all) {
        const found = other.ledger.lines.find((one) => one.label === line.label && isLike(one, line))
        if (found && isMadeUp(scene, line)) return sendRaw(now, here, rawAt(other.text, found))
      }
      return isMadeUp(scene, line) && isFree(line) ? typed(now, here, line.label) : text
    }, scene.text)
}

/** Whether a value was made of one letter, for want of an example. */
const isMadeUp = (scene: Scene, line: Line) => /^(.)\1*$/.test(shownText(rawAt(scene.text, line), line))
/** Whether a text may be any, its own name as well. */
function isFree({ field, label }: Line): boolean {
  const { kind, length, pattern, format, values } = leaf(field) as { [option: string]: unknown; kind: string }
  const [shortest, longest] = (Array.isArray(length) ? length : [length, length]) as (number | undefined)[]
  const fits = label.length >= (shortest ?? 0) && label.length <= (longest ?? Number.POSITIVE_INFINITY)
  return kind === 'text' && pattern === undefined && format === undefined && values === undefined && fits
}
