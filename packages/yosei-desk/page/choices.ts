/** What can be done to a line, besides what its control does. */
import type { ProbeEntry, Sheet } from '../src/terms.ts'
import type { Acts } from './ledger.tsx'
import type { Choice } from './menu.tsx'
import { foldedAddress } from './model/declared.ts'
import { leaf, leftOut, moved, rawAt, type Scene, sceneOf, sendRaw, sentTwice, shownText } from './model/edits.ts'
import type { Line } from './model/lines.ts'
import { cut } from './model/message.ts'

/** How the fullest accepted request has it. */
export function exampleAt(sheet: Sheet | undefined, path: Line['path']): string | undefined {
  if (!sheet?.fullest) return undefined
  const example = sceneOf(sheet.outline, sheet.base, sheet.fullest.message)
  const wanted = foldedAddress(path)
  const line = example.ledger.lines.find((one) => one.slice && foldedAddress(one.path) === wanted)
  return line?.slice && cut(example.text, line.slice)
}

/** The request with the value that a probe has at a line; where the probe is wrong elsewhere too, the whole of it. */
export function probed(scene: Scene, line: Line, { draft }: ProbeEntry): string {
  const broken = sceneOf(scene.outline, scene.base, draft.message)
  const wanted = foldedAddress(line.path)
  const own =
    broken.ledger.lines.find(({ address }) => address === line.address) ??
    broken.ledger.lines.find(({ path }) => foldedAddress(path) === wanted)
  const now = scene.ledger.lines.find(({ address }) => address === line.address) ?? line
  if (!own) return draft.message
  if (!own.slice) return now.slice ? leftOut(scene, now) : draft.message
  const raw = cut(broken.text, own.slice)
  const changed = sendRaw(scene, now, raw)
  if (own.times > now.times && own.times > 1) {
    const there = sceneOf(scene.outline, scene.base, changed)
    const again = there.ledger.lines.find(({ address }) => address === line.address)
    return again ? sentTwice(there, again) : draft.message
  }
  return changed === scene.text ? draft.message : changed
}

/** What can be done to a line. */
export function choicesOf(
  scene: Scene,
  drawn: Line,
  acts: Acts,
  edit: (text: string, what: string) => void,
  setRaw: (by: (now: ReadonlySet<string>) => ReadonlySet<string>) => void,
  isRaw: boolean,
): Choice[] {
  const line = scene.ledger.lines.find(({ address }) => address === drawn.address) ?? drawn
  const { slice, codec, element, address, field, part } = line
  const raw = rawAt(scene.text, line)
  const sends = (id: string, label: string, by: string): Choice => ({
    id,
    label,
    do: () => edit(sendRaw(scene, line, by), ''),
  })
  const text = shownText(raw, line)
  const number = /^-?(?:0|[1-9]\d*)(?:\.\d+)?$/.test(text) ? text : '1'
  return [
    ...(line.isHead && codec !== 'json'
      ? []
      : [
          {
            id: 'raw',
            label: isRaw ? 'write it in its control' : 'write it as it stands in the message',
            do: () =>
              setRaw((now) => {
                const next = new Set(now)
                if (!next.delete(address)) next.add(address)
                return next
              }),
          },
        ]),
    ...(slice && part !== 'path'
      ? [
          {
            id: 'leave',
            label: element ? 'take it out' : 'leave it out',
            do: () => (element ? acts.leave(line) : acts.strike(line)),
          },
        ]
      : []),
    ...(slice && part !== 'path' && !element
      ? [{ id: 'twice', label: 'send it twice', do: () => edit(sentTwice(scene, line), '') }]
      : []),
    ...(!slice && field
      ? [{ id: 'example', label: 'send an example', do: () => edit(sendRaw(scene, line, exampleRaw(line)), '') }]
      : []),
    ...(codec === 'json'
      ? [
          ...(raw === 'null' ? [] : [sends('null', 'send null', 'null')]),
          ...(raw.startsWith('"') ? [] : [sends('text', 'send text', JSON.stringify(text))]),
          ...(/^-?\d/.test(raw) ? [] : [sends('number', 'send a number', number)]),
          ...(/^(?:true|false)$/.test(raw) ? [] : [sends('true', 'send true', 'true')]),
          ...(raw.startsWith('[') ? [] : [sends('list', 'send a list', slice ? `[${raw}]` : '[]')]),
          ...(raw.startsWith('{') ? [] : [sends('record', 'send a record', '{}')]),
        ]
      : slice && text !== ''
        ? [sends('empty', 'send it empty', '')]
        : []),
    ...(element && element.index > 0
      ? [{ id: 'up', label: 'move it up', do: () => edit(moved(scene, line, -1), '') }]
      : []),
    ...(element && element.index < element.of - 1
      ? [{ id: 'down', label: 'move it down', do: () => edit(moved(scene, line, 1), '') }]
      : []),
  ]
}

function exampleRaw({ field, codec }: Line): string {
  const {
    kind,
    values = [],
    examples,
  } = leaf(field) as { kind: string; values?: readonly unknown[]; examples?: readonly unknown[] }
  const [
    one = values[0] ??
      (kind === 'flag'
        ? true
        : kind === 'integer' || kind === 'number'
          ? 1
          : kind === 'record' || kind === 'table' || kind === 'tagged'
            ? {}
            : kind === 'list' || kind === 'tuple'
              ? []
              : 'x'),
  ] = examples ?? []
  return codec === 'json' ? JSON.stringify(one) : String(one)
}
