package vintrel.server.ask;

import java.util.ArrayList;
import java.util.List;
import org.springframework.stereotype.Component;
import vintrel.core.define.Control;
import vintrel.core.define.Definition;
import vintrel.core.store.SampleStore;
import vintrel.server.define.DefinitionAdvice;

/** A control over a metric, or a label, that has never been seen offers nothing. */
@Component
class CatalogueAdvice implements DefinitionAdvice {
  private final SampleStore store;

  CatalogueAdvice(SampleStore store) {
    this.store = store;
  }

  @Override
  public List<String> of(Definition definition) {
    var out = new ArrayList<String>();
    if (definition instanceof Definition.OfDashboard d) {
      for (var control : d.dashboard().controls()) {
        boolean ofLabel = control.kind() == Control.Kind.LABEL;
        if (ofLabel && !store.hasMetric("", control.metric())) {
          out.add(
              "control `%s`: no samples of `%s` yet, so that it offers nothing"
                  .formatted(control.name(), control.metric()));
        }
      }
    }
    return out;
  }
}
