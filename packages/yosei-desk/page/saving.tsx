/** Keeps the request as a sample. */
import { useState } from 'react'
import { Dialog, Modal, ModalOverlay } from 'react-aria-components'
import type { Catalogue, SampleEntry } from '../src/terms.ts'
import { Trouble } from './model/bench.ts'

interface SavingProps {
  readonly catalogue: Catalogue
  readonly opened: SampleEntry | undefined
  /** The request as it would be saved. */
  readonly mine: string
  readonly onSave: (file: string, title: string, replaces: string | undefined) => Promise<void>
  /** The request of a sample as the book has it now; `undefined` if there is none. */
  readonly onCompare: (id: string) => Promise<string | undefined>
  readonly onClose: () => void
}
export default function Saving({ catalogue: { books }, opened, mine, onSave, onCompare, onClose }: SavingProps) {
  const [isNew, setNew] = useState(!opened)
  const [trouble, setTrouble] = useState<string>()
  const [theirs, setTheirs] = useState<string>()
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
              onSave(file, title, isNew ? undefined : opened?.id).then(onClose, failed)
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
            <p className="hint">Its verdict is written beside it; secrets are left out.</p>
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
