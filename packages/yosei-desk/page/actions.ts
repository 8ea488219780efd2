/** All that can be done on the page, for the palette. */
import type { Bench, Catalogue, Judged, SampleEntry } from '../src/terms.ts'
import type { Scene } from './model/edits.ts'
import { curlOf, fetchOf, withoutFiles, writeOf } from './model/share.ts'
import { partsOf } from './model/verdicts.ts'
import type { Action } from './palette.tsx'
import type { Stop } from './way.tsx'

/** Where a copied request goes when no server is named. */
const somewhere = 'http://127.0.0.1:8080'

export interface ActionsOf {
  readonly bench: Bench
  readonly catalogue: Catalogue
  readonly scene: Scene | undefined
  readonly judged: Judged | undefined
  readonly safe: { readonly message: string } | undefined
  /** The server that was named, or nothing. */
  readonly base: string
  readonly isRail: boolean
  readonly opened: SampleEntry | undefined
  /** Samples of the same endpoint. */
  readonly others: readonly SampleEntry[]
  keyOf(key: string): string
  tell(text: string): void
  away(error: Error): void
  fill(which: 'smallest' | 'fullest'): void
  toFault(by: 1 | -1): void
  undo(): void
  redo(): void
  show(stop: Stop): void
  save(): void
  send(): void
  paste(): void
  rail(): void
  compare(one: SampleEntry): Promise<void>
  rename(): void
  remove(): void
  open(endpoint: string): void
}
export function actionsOf(given: ActionsOf): Action[] {
  const { bench, catalogue, scene, judged, safe, base, isRail, opened, others, keyOf, tell, away } = given
  const origin = base === '' ? somewhere : base.replace(/\/+$/, '')
  const message = safe?.message ?? ''
  const copy = (what: string, content: string) => {
    navigator.clipboard.writeText(content).then(() => tell(`copied ${what}, without secrets`), away)
  }
  return [
    { id: 'smallest', label: 'Fill with as little as possible', do: () => given.fill('smallest') },
    { id: 'fullest', label: 'Fill with everything', do: () => given.fill('fullest') },
    { id: 'next', label: 'Go to the next error', keys: 'F8', do: () => given.toFault(1) },
    { id: 'previous', label: 'Go to the previous error', keys: 'Shift F8', do: () => given.toFault(-1) },
    { id: 'undo', label: 'Undo', keys: keyOf('Z'), do: given.undo },
    { id: 'redo', label: 'Redo', keys: keyOf('Shift Z'), do: given.redo },
    { id: 'message', label: 'Show the message', do: () => given.show('message') },
    { id: 'answer', label: 'Show the answer', do: () => given.show('answer') },
    ...(bench.save ? [{ id: 'save', label: 'Save as a sample', keys: keyOf('S'), do: given.save }] : []),
    ...(bench.rename && opened
      ? [{ id: 'rename', label: `Rename the sample “${opened.title}”`, do: given.rename }]
      : []),
    ...(bench.remove && opened
      ? [{ id: 'remove', label: `Remove the sample “${opened.title}” from its book`, do: given.remove }]
      : []),
    ...(bench.send ? [{ id: 'send', label: 'Send to a server', keys: keyOf('Enter'), do: given.send }] : []),
    { id: 'copy-message', label: 'Copy as message', do: () => copy('the message', withoutFiles(message)) },
    { id: 'copy-curl', label: 'Copy as curl', do: () => copy('a curl command', curlOf(message, origin)) },
    { id: 'copy-fetch', label: 'Copy as fetch', do: () => copy('a fetch call', fetchOf(message, origin)) },
    {
      id: 'copy-write',
      label: 'Copy as write(…)',
      do: () => scene && copy('a write call', writeOf(scene.outline.name, origin, partsOf(scene, judged))),
    },
    { id: 'paste', label: 'Open what is on the clipboard: curl, HAR entry, message', do: given.paste },
    { id: 'rail', label: isRail ? 'Fold the rail away' : 'Show the rail', keys: keyOf('B'), do: given.rail },
    ...others
      .slice(0, 100)
      .map((one) => ({
        id: `compare ${one.id}`,
        label: `Compare with: ${one.title}`,
        do: () => given.compare(one).catch(away),
      })),
    ...catalogue.endpoints
      .slice(0, 200)
      .map(({ name, title }) => ({ id: `open ${name}`, label: `Open: ${title ?? name}`, do: () => given.open(name) })),
  ]
}
