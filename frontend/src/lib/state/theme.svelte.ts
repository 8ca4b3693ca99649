/** Day or night; follows the machine until somebody chooses. */
class Theme {
  night = $state(false);

  start(): void {
    const chosen = localStorage.getItem('date-bridge-theme');
    this.night = chosen ? chosen === 'night' : matchMedia('(prefers-color-scheme: dark)').matches;
    this.#show();
  }

  turn(): void {
    this.night = !this.night;
    localStorage.setItem('date-bridge-theme', this.night ? 'night' : 'day');
    this.#show();
  }

  #show(): void {
    document.documentElement.classList.toggle('dark', this.night);
  }
}

export const theme = new Theme();
