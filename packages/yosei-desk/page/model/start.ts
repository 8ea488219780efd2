/** Requests to begin with: with values of accepted samples, so that made-up ones do not reject them. */
import type { Bench, Draft, Sheet, Shelf } from '../../src/terms.ts'
import { leaf, rawAt, type Scene, sceneOf, sendRaw, shownText, typed } from './edits.ts'
import type { Line } from './lines.ts'

/** So many samples are looked at. */
const most = 6
/** So many times what is wrong is left out of a full request. */
const mostTimes = 4

/**
 * @param which How much of the endpoint is filled in.
 * @returns `undefined` if no accepted request can be made, and there is no sample.
 */
export async function startOf(
  bench: Bench,
  { outline, base, ...made }: Sheet,
  which: 'smallest' | 'fullest',
  shelf: Shelf | undefined,
): Promise<Draft | undefined> {
  const good = Object.entries(shelf?.stamps ?? {}).filter(([, { isGood }]) => isGood)
  const idsOf = (isOwn: boolean) =>
    good.flatMap(([id, stamp]) => ((stamp.endpoint === outline.name) === isOwn ? [id] : []))
  const samplesOf = (ids: readonly string[]) => Promise.all(ids.slice(0, most).map((id) => bench.sample(id)))
  const [own, others] = [await samplesOf(idsOf(true)), await samplesOf(idsOf(false))]
  const draft = made[which]
  const sceneOfDraft = ({ message }: Draft) => sceneOf(outline, base, message)
  const [sample] = own
  const known = own.map(sceneOfDraft)
  const all = [...known, ...others.map(sceneOfDraft)]
  const isTried = async (message: string, about: Draft) =>
    (await isAccepted(bench, { ...about, message })) ? { ...about, message } : undefined
  if (draft && sample && which === 'smallest') {
    const likely = withCaller(withKnown(sceneOfDraft(draft), known, all), sceneOfDraft(sample))
    return (await isTried(likely.text, sample)) ?? sample
  }
  if (draft && sample) {
    const full = withKnown(sceneOfDraft(draft), known, all)
    const without = new Set<string>()
    for (let times = 0; times < mostTimes; times++) {
      const message = withMissing(sceneOfDraft(sample), full, without)
      const { outcome, errors } = await bench.judge({ ...sample, message })
      if (outcome !== 'rejected') return { ...sample, message }
      // What is wrong is left out.
      for (const { address } of errors) without.add(address)
    }
    return (await isAccepted(bench, draft)) ? draft : sample
  }
  if (!draft) return sample
  return (await isTried(withKnown(sceneOfDraft(draft), known, all).text, draft)) ?? draft
}

const isAccepted = (bench: Bench, draft: Draft): Promise<boolean> =>
  bench.judge(draft).then(
    ({ outcome }) => outcome !== 'rejected',
    () => false,
  )

/** Changes a scene line by line: each change sees what the one before has made. */
const changedBy = (scene: Scene, lines: readonly Line[], by: (now: Scene, line: Line) => string): Scene =>
  lines.reduce((now, { address }) => {
    const line = now.ledger.lines.find((one) => one.address === address)
    return line ? sceneOf(scene.outline, scene.base, by(now, line)) : now
  }, scene)
const isSent = ({ isHead, slice, depth }: Line) => !isHead && slice !== undefined && depth > 0
const at = ({ ledger }: Scene, address: string) => ledger.lines.find((one) => one.address === address && isSent(one))

/** The request with the values that samples of the endpoint have at the same lines, or others under the same names. */
function withKnown(scene: Scene, own: readonly Scene[], all: readonly Scene[]): Scene {
  // A media type says how the body is written that stands there.
  const lines = scene.ledger.lines.filter((line) => isSent(line) && line.address !== 'header.content-type')
  return changedBy(scene, lines, (now, line) => {
    for (const other of own) {
      const found = at(other, line.address)
      if (found) return sendRaw(now, line, rawAt(other.text, found))
    }
    if (!isMadeUp(now, line)) return now.text
    for (const other of all) {
      const found = other.ledger.lines.find(
        (one) => one.label === line.label && one.codec === line.codec && isSent(one),
      )
      if (found) return sendRaw(now, line, rawAt(other.text, found))
    }
    return isFree(line) ? typed(now, line, line.label) : now.text
  })
}

/** The request with the header fields that say who asks in another. */
function withCaller(scene: Scene, other: Scene): Scene {
  const wanted = other.ledger.lines.filter((line) => line.part === 'header' && line.isSecret && isSent(line))
  return wanted.reduce((now, line) => {
    const here = sceneOf(now.outline, now.base, now.text, [line.address])
    const own = here.ledger.lines.find((one) => one.address === line.address)
    return own ? sceneOf(now.outline, now.base, sendRaw(here, own, rawAt(other.text, line))) : now
  }, scene)
}

/** The request with all that another has and it has not, but for some addresses and what they hold. */
const withMissing = (scene: Scene, other: Scene, without: ReadonlySet<string>): string =>
  changedBy(
    scene,
    scene.ledger.lines.filter(
      ({ slice, field, address }) =>
        slice === undefined && field !== undefined && ![...without].some((one) => address.startsWith(one)),
    ),
    (now, line) => {
      const found = other.ledger.lines.find(({ address, slice }) => address === line.address && slice !== undefined)
      return found && !line.slice ? sendRaw(now, line, rawAt(other.text, found)) : now.text
    },
  ).text

/** Whether a value was made of one letter, for want of an example. */
const isMadeUp = (scene: Scene, line: Line) => /^(.)\1*$/.test(shownText(rawAt(scene.text, line), line))
/** Whether a text may be any, its own name as well. */
function isFree({ field, label }: Line): boolean {
  const { kind, length, pattern, format, values } = leaf(field) as { [option: string]: unknown; kind: string }
  const [shortest, longest] = (Array.isArray(length) ? length : [length, length]) as (number | undefined)[]
  const fits = label.length >= (shortest ?? 0) && label.length <= (longest ?? Number.POSITIVE_INFINITY)
  return kind === 'text' && pattern === undefined && format === undefined && values === undefined && fits
}
