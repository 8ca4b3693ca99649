/** Whether the application answers: said at the top of every page while it does not. */
class Reach {
  /** It could not be reached, or what it tells by itself has broken off. */
  lost = $state(false);
  /** Have it tried again to be told what changes; that it answers again is known from there. */
  retry: () => void = () => undefined;

  /** Ask, and notice when nobody answers. */
  fetch = async (request: Request): Promise<Response> => {
    try {
      return await fetch(request);
    } catch (error) {
      if (!request.signal.aborted && !this.lost) {
        this.lost = true;
        this.retry();
      }
      throw error;
    }
  };
}

export const reach = new Reach();
