package vintrel.core.define;

import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import vintrel.core.define.Shape.Field;
import vintrel.core.wire.ResourceRules;

/** {@code kind: resources}. */
final class ResourcesKind implements Kind<Definition.OfResources> {
  private static final Shape.Fields SHAPE =
      new Shape.Fields(
          KIND,
          NAME,
          Field.of(
                  "rules",
                  new Shape.ListOf(
                      new Shape.Text(
                          2_000,
                          "(label|aside) [\\s\\S]*",
                          "must begin with label or aside, not '{}'"),
                      0,
                      ResourceRules.MAX_RULES,
                      true,
                      "has more than " + ResourceRules.MAX_RULES + " rules"),
                  "Which attributes of a resource become labels, and which are kept aside: label"
                      + " NAMES or aside NAMES, tried in order. * stands for any characters. What"
                      + " no rule names becomes a label.")
              .needed());

  @Override
  public String name() {
    return "resources";
  }

  @Override
  public Shape.Fields shape() {
    return SHAPE;
  }

  @Override
  public Class<Definition.OfResources> type() {
    return Definition.OfResources.class;
  }

  @Override
  public Definition.OfResources read(Node doc, String path, List<String> faults) {
    var rules = new ArrayList<ResourceRules.Rule>();
    var lines = doc.texts("rules");
    for (int i = 0; i < lines.size(); i++) {
      try {
        rules.add(ResourceRules.parse(lines.get(i)));
      } catch (IllegalArgumentException e) {
        faults.add(path + ".rules[%d]: %s".formatted(i, e.getMessage()));
      }
    }
    return new Definition.OfResources(doc.text("name"), new ResourceRules(List.copyOf(rules)));
  }

  @Override
  public Map<String, Object> write(Definition.OfResources definition) {
    return Map.of("rules", definition.rules().rules().stream().map(ResourceRules::write).toList());
  }

  @Override
  public Map<String, Object> example() {
    return Documents.map(
        """
        kind: resources
        name: default
        rules:
        - label process.pid
        - aside process.*, os.*, telemetry.*
        """);
  }
}
