/** The languages that a page has, but English. */
import type { Words } from './words.js'

export const brought: { [tag: string]: Words } = {}
/**
 * Brings more languages than English. `judgeParts` and `judgeValue` choose among them by `language`.
 *
 * @example
 * import { bringLanguages, german } from 'yosei/page'
 * bringLanguages({ de: german })
 */
export const bringLanguages = (more: { readonly [tag: string]: Words }): void => void Object.assign(brought, more)
