/** Keeps the request as a sample. */
import { useState } from 'react'
import { Dialog, Modal, ModalOverlay } from 'react-aria-components'
import type { Catalogue, SampleEntry } from '../src/terms.ts'

interface SavingProps {
  readonly catalogue: Catalogue
  readonly opened: SampleEntry | undefined
  readonly onSave: (file: string, title: string, replaces: string | undefined) => Promise<void>
  readonly onClose: () => void
}
export default function Saving({ catalogue: { books }, opened, onSave, onClose }: SavingProps) {
  const [isNew, setNew] = useState(!opened)
  const [trouble, setTrouble] = useState<string>()
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
              onSave(file, title, isNew ? undefined : opened?.id).then(onClose, (error: Error) =>
                setTrouble(error.message),
              )
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
