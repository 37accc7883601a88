/** How dates are written: as the reader's browser does where it speaks the page's language, else as the page's language does. */
export const language = (page = document.documentElement.lang, browser = navigator.language) =>
  page === '' || browser.split('-')[0] === page.split('-')[0] ? browser : page;
