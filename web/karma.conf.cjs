// Headless Chromium from Debian; one run holds the specs of core and web.
process.env.CHROME_BIN ??= '/usr/bin/chromium';

module.exports = (config) =>
  config.set({
    frameworks: ['jasmine'],
    plugins: [require('karma-jasmine'), require('karma-chrome-launcher')],
    reporters: ['dots'],
    browsers: ['Headless'],
    customLaunchers: {
      Headless: {
        base: 'ChromeHeadless',
        flags: [
          '--no-sandbox',
          '--disable-gpu',
          '--disable-dev-shm-usage',
          '--disable-background-networking',
          '--disable-component-update',
          '--disable-sync',
          '--no-first-run',
        ],
      },
    },
    client: { jasmine: { failSpecWithNoExpectations: true, timeoutInterval: 60000 } },
    // A busy machine answers late; that is no reason to give the browser up.
    browserNoActivityTimeout: 300000,
    browserDisconnectTimeout: 60000,
    pingTimeout: 120000,
    restartOnFileChange: false,
  });
