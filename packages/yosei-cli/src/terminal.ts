/** What every command prints by: colours, the width, and texts that fit it. */
import picocolors from 'picocolors'

// Colour is for terminals; a pipe gets plain text, on a build server too.
const { NO_COLOR, FORCE_COLOR } = process.env
export const pc = picocolors.createColors(!NO_COLOR && (Boolean(FORCE_COLOR) || process.stdout.isTTY === true))
export const width = 100

export const shorten = (text: string, length: number) => (text.length > length ? `${text.slice(0, length - 1)}…` : text)
/** What callers sent must not steer a terminal. */
export const visible = (text: string) => text.replace(/[\p{Cc}\p{Cf}\p{Zl}\p{Zp}]/gu, '·')
