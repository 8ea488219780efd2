/** Keeps the request as a sample. */
import { useRef, useState } from 'react'
import { Dialog, Modal, ModalOverlay } from 'react-aria-components'
import type { Catalogue, Decided, Decision, OpenLine, SampleEntry } from '../src/terms.ts'
import { Trouble } from './model/bench.ts'

/** Saves, or gives the lines of the book that need a decision first: then nothing was saved. */
export type Save = (
  file: string,
  title: string,
  replaces: string | undefined,
  decisions: readonly Decided[],
) => Promise<readonly OpenLine[] | undefined>

interface SavingProps {
  readonly catalogue: Catalogue
  readonly opened: SampleEntry | undefined
  /** The request as it would be saved. */
  readonly mine: string
  readonly onSave: Save
  /** The request of a sample as the book has it now; `undefined` if there is none. */
  readonly onCompare: (id: string) => Promise<string | undefined>
  readonly onClose: () => void
}
export default function Saving({ catalogue: { books }, opened, mine, onSave, onCompare, onClose }: SavingProps) {
  const [isNew, setNew] = useState(!opened)
  const [trouble, setTrouble] = useState<string>()
  const [theirs, setTheirs] = useState<string>()
  const [open, setOpen] = useState<readonly OpenLine[]>([])
  const isBusy = useRef(false)
  const failed = async (error: Error) => {
    setTrouble(error.message)
    if (!(error instanceof Trouble && error.code === 'conflict') || !opened) return
    setTheirs((await onCompare(opened.id)) ?? 'no request')
    // What stands there stays.
    setNew(true)
  }
  const own = opened && books.find(({ samples }) => samples.includes(opened))
  return (
    <ModalOverlay isOpen isDismissable onOpenChange={(isOpen) => !isOpen && onClose()} className="veil">
      <Modal className="dialog">
        <Dialog aria-label="Save as a sample">
          <h2>Save as a sample</h2>
          <form
            onSubmit={(event) => {
              event.preventDefault()
              const said = new FormData(event.currentTarget)
              const file = isNew ? String(said.get('file')) : (own?.file ?? '')
              const title = isNew ? String(said.get('title')) : (opened?.title ?? '')
              // A second click would save it twice.
              if (isBusy.current) return
              isBusy.current = true
              const decisions = isNew
                ? []
                : open.map((line, index) => ({ ...line, decision: said.get(`line${index}`) as Decision }))
              onSave(file, title, isNew ? undefined : opened?.id, decisions)
                .then((asked) => (asked ? setOpen(asked) : onClose()), failed)
                .finally(() => {
                  isBusy.current = false
                })
            }}
          >
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
                    name="title"
                    required
                    maxLength={200}
                    autoFocus
                    defaultValue={opened ? `${opened.title}, again` : ''}
                  />
                </label>
                <label>
                  book
                  <select name="file" defaultValue={own?.file}>
                    {books.map(({ file, title }) => (
                      <option key={file} value={file}>
                        {title}
                      </option>
                    ))}
                  </select>
                </label>
              </>
            )}
            {!isNew && open.length > 0 && (
              <fieldset className="open-lines">
                <legend>These lines of the book do not hold any more:</legend>
                {open.map(({ was, now }, index) => (
                  <label key={`${index} ${was} ${now}`}>
                    <code>{was ?? '(new)'}</code>
                    <select name={`line${index}`} aria-label={`what becomes of ${was ?? now}`} defaultValue="" required>
                      <option value="" disabled>
                        choose
                      </option>
                      <option value="keep">
                        {was === undefined ? 'leave it out: the sample fails' : 'keep it: the sample fails'}
                      </option>
                      {now !== undefined && <option value="take">{`write: ${now.replaceAll('\n', '; ')}`}</option>}
                      {was !== undefined &&
                        was.split('\n').length === 1 &&
                        !/^\s*(?:accepted|pending|\d{3})\s*$/.test(was) && <option value="remove">remove it</option>}
                    </select>
                  </label>
                ))}
              </fieldset>
            )}
            <p className="hint">
              Its verdict is written beside it; secrets are left out. Lines that still hold stay as they are.
            </p>
            {trouble && (
              <p className="bad" role="alert">
                {trouble}
              </p>
            )}
            {theirs !== undefined && (
              <div className="both">
                <section aria-label="in the book now">
                  <h3>in the book now</h3>
                  <pre>{theirs}</pre>
                </section>
                <section aria-label="yours">
                  <h3>yours</h3>
                  <pre>{mine}</pre>
                </section>
              </div>
            )}
            <p className="choices">
              <button type="submit">save</button>
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
