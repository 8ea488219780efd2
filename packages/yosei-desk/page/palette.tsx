/** All that can be done here, by name. */
import {
  Autocomplete,
  Dialog,
  Input,
  Menu,
  MenuItem,
  Modal,
  ModalOverlay,
  SearchField,
  useFilter,
} from 'react-aria-components'

export interface Action {
  readonly id: string
  readonly label: string
  readonly keys?: string
  readonly do: () => void
}
export default function Palette({ actions, onClose }: { actions: readonly Action[]; onClose: () => void }) {
  const { contains } = useFilter({ sensitivity: 'base' })
  return (
    <ModalOverlay isOpen isDismissable onOpenChange={(isOpen) => !isOpen && onClose()} className="veil">
      <Modal className="palette">
        <Dialog aria-label="Actions">
          <Autocomplete filter={contains}>
            <SearchField aria-label="Search the actions" autoFocus>
              <Input placeholder="what shall be done?" />
            </SearchField>
            <div className="scrolling" tabIndex={0} role="group" aria-label="Found">
              <Menu
                items={actions}
                renderEmptyState={() => 'Nothing matches.'}
                onAction={(key) => {
                  onClose()
                  actions.find(({ id }) => id === key)?.do()
                }}
              >
                {({ id, label, keys }) => (
                  <MenuItem id={id} textValue={label}>
                    {label} {keys && <kbd>{keys}</kbd>}
                  </MenuItem>
                )}
              </Menu>
            </div>
          </Autocomplete>
        </Dialog>
      </Modal>
    </ModalOverlay>
  )
}
