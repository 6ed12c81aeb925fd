/** What is used of Alpine's CSP build. */
declare const Alpine: { data(name: string, make: () => object): void; start(): void };
export default Alpine;
