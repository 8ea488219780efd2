/** What can be done to a line. */
import { useEffect, useRef, useState } from 'react'
import { Header, Menu, MenuItem, MenuSection, Popover, Separator } from 'react-aria-components'
import type { ProbeEntry } from '../src/terms.ts'
import type { Line } from './model/lines.ts'

export interface Choice {
  readonly id: string
  readonly label: string
  readonly do: () => void
}
interface LineMenuProps {
  readonly line: Line
  readonly button: HTMLElement
  readonly choices: readonly Choice[]
  readonly probes: () => Promise<readonly ProbeEntry[]>
  readonly onProbe: (probe: ProbeEntry) => void
  readonly onClose: () => void
}
export default function LineMenu({ line, button, choices, probes, onProbe, onClose }: LineMenuProps) {
  const anchor = useRef(button)
  anchor.current = button
  const [broken, setBroken] = useState<readonly ProbeEntry[]>()
  useEffect(() => {
    let isCurrent = true
    probes().then(
      (found) => isCurrent && setBroken(found),
      () => isCurrent && setBroken([]),
    )
    return () => {
      isCurrent = false
    }
  }, [probes])
  const all = new Map<string, () => void>(choices.map((one) => [one.id, one.do]))
  for (const [index, probe] of broken?.entries() ?? []) all.set(`probe-${index}`, () => onProbe(probe))
  return (
    <Popover
      triggerRef={anchor}
      aria-label={line.address}
      isOpen
      onOpenChange={(isOpen) => !isOpen && onClose()}
      placement="bottom end"
      className="popover"
    >
      <Menu
        aria-label={line.address}
        autoFocus="first"
        onAction={(key) => {
          all.get(String(key))?.()
          onClose()
        }}
      >
        <MenuSection>
          <Header>{line.address}</Header>
          {choices.map(({ id, label }) => (
            <MenuItem key={id} id={id} textValue={label}>
              {label}
            </MenuItem>
          ))}
        </MenuSection>
        {broken && broken.length > 0 && <Separator />}
        {broken && broken.length > 0 && (
          <MenuSection>
            <Header>break it</Header>
            {broken.map(({ what, code }, index) => (
              <MenuItem key={index} id={`probe-${index}`} textValue={what}>
                {what} <small>{code}</small>
              </MenuItem>
            ))}
          </MenuSection>
        )}
      </Menu>
    </Popover>
  )
}
