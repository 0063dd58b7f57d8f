import { startLanguage } from './words/language';

// Sentences are said as the parts of the interface are loaded: the language comes first.
startLanguage()
  .then(() => import('./app/start'))
  .then(({ start }) => start())
  .catch(reportError);
