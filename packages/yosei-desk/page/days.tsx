/** A calendar to choose a day from. */
import { type CalendarDate, parseDate } from '@internationalized/date'
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
  /** As `2031-03-01`. */
  readonly value: string | undefined
  readonly clock: Date
  /** Whether a day is out of the field's range: it can be chosen all the same. */
  readonly isOut: (day: string) => boolean
  readonly onChoose: (day: string) => void
  readonly onClose: () => void
}
export default function Days({ anchor, value, clock, isOut, onChoose, onClose }: DaysProps) {
  const chosen = dateOf(value)
  const today = dateOf(clock.toISOString().slice(0, 10))
  const hasOut = chosen !== undefined && isOut(chosen.toString())
  return (
    <Popover triggerRef={anchor} isOpen onOpenChange={(isOpen) => !isOpen && onClose()} placement="bottom end">
      <Dialog aria-label="Calendar">
        <I18nProvider locale="en-GB">
          <Calendar
            aria-label="Day"
            autoFocus
            defaultValue={chosen ?? null}
            defaultFocusedValue={chosen ?? today ?? null}
            onChange={(day) => onChoose(day.toString())}
          >
            <header>
              <Button slot="previous">‹</Button>
              <Heading />
              <Button slot="next">›</Button>
            </header>
            <CalendarGrid>
              {(date) => (
                <CalendarCell
                  date={date}
                  className={({ defaultClassName = '' }) =>
                    isOut(date.toString()) ? `${defaultClassName} out` : defaultClassName
                  }
                />
              )}
            </CalendarGrid>
            <p className="hint">
              {hasOut ? 'This day is out of range. ' : ''}
              <s>Struck</s> days are out of range.
            </p>
          </Calendar>
        </I18nProvider>
      </Dialog>
    </Popover>
  )
}

function dateOf(day: string | undefined): CalendarDate | undefined {
  try {
    return day === undefined ? undefined : parseDate(day)
  } catch {
    return undefined
  }
}
