/** Keeps the request as a sample. What would change in the book stands there before it is written. */
import { type FormEvent, useEffect, useRef, useState } from 'react'
import { Dialog, Modal, ModalOverlay } from 'react-aria-components'
import type { Catalogue, Decided, Decision, OpenLine, Preview, SampleEntry } from '../src/terms.ts'
import { Trouble } from './model/bench.ts'

/** What is asked to be saved. */
export interface Wanted {
  readonly file: string
  readonly title: string
  readonly replaces: string | undefined
  readonly decisions: readonly Decided[]
}
interface SavingProps {
  readonly catalogue: Catalogue
  readonly opened: SampleEntry | undefined
  /** The book that has samples of the endpoint, if there is one. */
  readonly usual: string | undefined
  /** The request as it would be saved. */
  readonly mine: string
  /** What it would change, secrets hidden. */
  readonly onPreview: (wanted: Wanted) => Promise<Preview>
  /** Saves, or gives the lines of the book that need a decision first: then nothing was saved. */
  readonly onSave: (wanted: Wanted) => Promise<readonly OpenLine[] | undefined>
  /** The request of a sample as the book has it now; `undefined` if there is none. */
  readonly onCompare: (id: string) => Promise<string | undefined>
  readonly onClose: () => void
}
/** Milliseconds in which a second click is the second of a double click. */
const doubleClick = 400
/** Milliseconds without a key, before a preview is asked for. */
const pause = 250

export default function Saving(props: SavingProps) {
  const { catalogue, opened, usual, mine, onPreview, onSave, onCompare, onClose } = props
  const { books } = catalogue
  const own = opened && books.find(({ samples }) => samples.includes(opened))
  const [isNew, setNew] = useState(!opened)
  const [title, setTitle] = useState(opened ? `${opened.title}, again` : '')
  const [file, setFile] = useState(own?.file ?? usual ?? books[0]?.file ?? '')
  const [isSame, setSame] = useState(false)
  const [decisions, setDecisions] = useState<ReadonlyMap<string, Decision>>(new Map())
  const [preview, setPreview] = useState<Preview>()
  const [trouble, setTrouble] = useState<string>()
  const [theirs, setTheirs] = useState<string>()
  const isBusy = useRef(false)
  const clicked = useRef<Place>(undefined)
  const isConflict = useRef(false)

  const decidedAmong = (open: readonly OpenLine[]): readonly Decided[] =>
    open.map((line) => ({ ...line, decision: decisions.get(keyOf(line)) ?? 'keep' }))
  const wanted: Wanted = {
    file: isNew ? file : (own?.file ?? ''),
    title: isNew ? title : (opened?.title ?? ''),
    replaces: isNew ? undefined : opened?.id,
    decisions: isNew ? [] : decidedAmong(preview?.open ?? []),
  }
  const failed = async (error: Error) => {
    setTrouble(error.message)
    setPreview(undefined)
    if (!(error instanceof Trouble && error.code === 'conflict') || !opened) return
    isConflict.current = true
    setTheirs((await onCompare(opened.id)) ?? 'no request')
    // What stands there stays.
    setNew(true)
  }
  const latest = useRef({ wanted, onPreview, failed })
  latest.current = { wanted, onPreview, failed }
  const asked = JSON.stringify(wanted)
  useEffect(() => {
    let isCurrent = true
    const look = async () => {
      const { wanted, onPreview, failed } = latest.current
      if (wanted.title.trim() === '') return setPreview(undefined)
      try {
        const came = await onPreview(wanted)
        if (!isCurrent) return
        setPreview(came)
        // What another desk has written stays beside this until one is saved.
        if (!isConflict.current) setTrouble(undefined)
      } catch (error) {
        if (isCurrent) await failed(error as Error)
      }
    }
    const timer = setTimeout(look, pause)
    return () => {
      isCurrent = false
      clearTimeout(timer)
    }
  }, [asked])

  const titles = new Set(books.find((book) => book.file === file)?.samples.map((one) => plain(one.title)))
  const isTaken = isNew && titles.has(plain(title))
  const open = isNew ? [] : (preview?.open ?? [])
  const submit = (event: FormEvent) => {
    event.preventDefault()
    // A second click would save it twice.
    if (isBusy.current) return
    isBusy.current = true
    if (clicked.current) takeClicksAt(clicked.current)
    onSave(wanted)
      .then((undecided) => (undecided ? setPreview({ lines: [], open: undecided }) : onClose()), failed)
      .finally(() => {
        isBusy.current = false
      })
  }
  return (
    <ModalOverlay isOpen isDismissable onOpenChange={(isOpen) => !isOpen && onClose()} className="veil">
      <Modal className="dialog">
        <Dialog aria-label="Save as a sample">
          <h2>Save as a sample</h2>
          <form onSubmit={submit}>
            {opened && (
              <fieldset>
                <label>
                  <input type="radio" name="which" autoFocus checked={!isNew} onChange={() => setNew(false)} /> in place
                  of “{opened.title}”
                </label>
                <label>
                  <input type="radio" name="which" checked={isNew} onChange={() => setNew(true)} /> as a new one
                </label>
              </fieldset>
            )}
            {isNew && (
              <>
                <label>
                  heading
                  <input
                    required
                    maxLength={200}
                    autoFocus={!opened}
                    value={title}
                    onChange={(event) => setTitle(event.target.value)}
                  />
                </label>
                <label>
                  book
                  <select value={file} onChange={(event) => setFile(event.target.value)}>
                    {books.map((book) => (
                      <option key={book.file} value={book.file}>
                        {book.title}
                      </option>
                    ))}
                  </select>
                </label>
                {isTaken && (
                  <label>
                    <input
                      type="checkbox"
                      required
                      checked={isSame}
                      onChange={(event) => setSame(event.target.checked)}
                    />
                    <span>The book has a sample called that. Save another one beside it.</span>
                  </label>
                )}
              </>
            )}
            {open.length > 0 && (
              <fieldset className="open-lines">
                <legend>These lines of the book do not hold any more:</legend>
                {open.map((line) => (
                  <Question
                    key={keyOf(line)}
                    line={line}
                    decision={decisions.get(keyOf(line))}
                    onDecide={(decision) => setDecisions((now) => new Map(now).set(keyOf(line), decision))}
                  />
                ))}
              </fieldset>
            )}
            {trouble && (
              <p className="bad" role="alert">
                {trouble}
              </p>
            )}
            {theirs !== undefined && (
              <div className="both">
                <section aria-label="in the book now">
                  <h3>in the book now</h3>
                  <pre tabIndex={0}>{theirs}</pre>
                </section>
                <section aria-label="yours">
                  <h3>yours</h3>
                  <pre tabIndex={0}>{mine}</pre>
                </section>
              </div>
            )}
            {preview && (
              <section className="preview" aria-label="what changes in the book">
                <h3>{preview.lines.length === 0 ? 'Nothing changes in the book.' : 'This changes in the book:'}</h3>
                {preview.lines.length > 0 && (
                  <pre tabIndex={0}>
                    {preview.lines.map(({ is, text }, index) => (
                      <span key={index} className={is === 'new' ? 'good' : 'bad'}>
                        {`${is === 'new' ? '+' : '−'} ${text}\n`}
                      </span>
                    ))}
                  </pre>
                )}
              </section>
            )}
            <p className="hint">Its verdict is written beside it. Secrets are left out.</p>
            <p className="choices">
              <button
                type="submit"
                onPointerDown={({ clientX, clientY }) => {
                  clicked.current = { clientX, clientY }
                }}
              >
                save
              </button>
              <button type="button" className="quiet" onClick={onClose}>
                not now
              </button>
            </p>
          </form>
        </Dialog>
      </Modal>
    </ModalOverlay>
  )
}

type Place = Pick<MouseEvent, 'clientX' | 'clientY'>
/** Takes the second click of a double click: by then something else may stand there, in the dialog or below it. */
function takeClicksAt({ clientX, clientY }: Place): void {
  const take = (event: MouseEvent) => {
    if (Math.hypot(event.clientX - clientX, event.clientY - clientY) > 4) return
    event.preventDefault()
    event.stopPropagation()
  }
  const events = ['pointerdown', 'mousedown', 'pointerup', 'mouseup', 'click'] as const
  for (const one of events) addEventListener(one, take, true)
  setTimeout(() => {
    for (const one of events) removeEventListener(one, take, true)
  }, doubleClick)
}

const keyOf = ({ was, now }: OpenLine) => JSON.stringify([was, now])
/** As headings are compared: without marks, and without the number that a namesake gets. */
const plain = (title: string) =>
  title
    .trim()
    .replace(/^#{1,6}\s+/, '')
    .replace(/ \(\d+\)$/, '')

function Question({
  line: { was, now },
  decision,
  onDecide,
}: {
  line: OpenLine
  decision: Decision | undefined
  onDecide: (decision: Decision) => void
}) {
  const isAssertion = was !== undefined && !was.includes('\n') && !/^\s*(?:accepted|pending|\d{3})\s*$/.test(was)
  return (
    <label>
      <code>{was ?? '(new)'}</code>
      <select
        aria-label={`what becomes of ${was ?? now}`}
        value={decision ?? ''}
        required
        onChange={(event) => onDecide(event.target.value as Decision)}
      >
        <option value="" disabled>
          choose
        </option>
        <option value="keep">
          {was === undefined ? 'leave it out: the sample fails' : 'keep it: the sample fails'}
        </option>
        {now !== undefined && <option value="take">{`write: ${now.replaceAll('\n', '; ')}`}</option>}
        {isAssertion && <option value="remove">remove it</option>}
      </select>
    </label>
  )
}

/** Gives a sample another heading. */
export function Renaming({
  title: first,
  onRename,
  onClose,
}: {
  title: string
  onRename: (title: string) => Promise<void>
  onClose: () => void
}) {
  const [title, setTitle] = useState(first)
  const [trouble, setTrouble] = useState<string>()
  return (
    <ModalOverlay isOpen isDismissable onOpenChange={(isOpen) => !isOpen && onClose()} className="veil">
      <Modal className="dialog">
        <Dialog aria-label="Rename the sample">
          <h2>Rename the sample</h2>
          <form
            onSubmit={(event) => {
              event.preventDefault()
              onRename(title).then(onClose, (error: Error) => setTrouble(error.message))
            }}
          >
            <label>
              heading
              <input
                required
                maxLength={200}
                autoFocus
                value={title}
                onChange={(event) => setTitle(event.target.value)}
              />
            </label>
            {trouble && (
              <p className="bad" role="alert">
                {trouble}
              </p>
            )}
            <p className="choices">
              <button type="submit">rename</button>
              <button type="button" className="quiet" onClick={onClose}>
                not now
              </button>
            </p>
          </form>
        </Dialog>
      </Modal>
    </ModalOverlay>
  )
}
