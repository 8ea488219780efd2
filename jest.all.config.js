/** With what is slower: servers, browsers, commands as processes. */
import usual from './jest.config.js'

export default { ...usual, testPathIgnorePatterns: ['/node_modules/'] }
