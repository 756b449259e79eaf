import '@fontsource/atkinson-hyperlegible/latin-400.css'
import '@fontsource/atkinson-hyperlegible/latin-700.css'
import '@fontsource/atkinson-hyperlegible-mono/latin-400.css'
import '@fontsource/atkinson-hyperlegible-mono/latin-700.css'
import './styles.css'
import { loadLanguage } from './language/language'

loadLanguage().then(() => import('./opening'))
