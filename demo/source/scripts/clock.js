/** Minutes since midnight of a time such as 06:40. */
export const toMinutes = (time) => Number(time.slice(0, 2)) * 60 + Number(time.slice(3));
export const nowMinutes = () => new Date().getHours() * 60 + new Date().getMinutes();
