/** The days of a week, as declarations name them, with their numbers (ISO 8601). */
export const weekdayNumbers = { mon: 1, tue: 2, wed: 3, thu: 4, fri: 5, sat: 6, sun: 7 } as const
export type Weekday = keyof typeof weekdayNumbers
export const weekdays = /* @__PURE__ */ Object.keys(weekdayNumbers) as readonly Weekday[]
