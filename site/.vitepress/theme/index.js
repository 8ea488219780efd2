import DefaultTheme from 'vitepress/theme-without-fonts'
import Playground from './Playground.vue'
import './looks.css'

export default {
  extends: DefaultTheme,
  enhanceApp({ app }) {
    app.component('Playground', Playground)
  },
}
