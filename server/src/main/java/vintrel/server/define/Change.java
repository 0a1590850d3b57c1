package vintrel.server.define;

/** What became, or would become, of one document: made, changed, left or removed. */
public record Change(String kind, String name, String what) {}
