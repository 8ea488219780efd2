/** A calendar to choose a day from. */
import type { CalendarDate } from '@internationalized/date'
import type { RefObject } from 'react'
import {
  Button,
  Calendar,
  CalendarCell,
  CalendarGrid,
  Dialog,
  Heading,
  I18nProvider,
  Popover,
} from 'react-aria-components'

interface DaysProps {
  readonly anchor: RefObject<HTMLElement | null>
  readonly value: CalendarDate | undefined
  readonly onChoose: (day: string) => void
  readonly onClose: () => void
}
export default function Days({ anchor, value, onChoose, onClose }: DaysProps) {
  return (
    <Popover triggerRef={anchor} isOpen onOpenChange={(isOpen) => !isOpen && onClose()} placement="bottom end">
      <Dialog aria-label="Calendar">
        <I18nProvider locale="en-GB">
          <Calendar
            aria-label="Day"
            autoFocus
            defaultValue={value ?? null}
            onChange={(day) => onChoose(day.toString())}
          >
            <header>
              <Button slot="previous">‹</Button>
              <Heading />
              <Button slot="next">›</Button>
            </header>
            <CalendarGrid>{(date) => <CalendarCell date={date} />}</CalendarGrid>
          </Calendar>
        </I18nProvider>
      </Dialog>
    </Popover>
  )
}
