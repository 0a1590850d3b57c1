package vintrel.server.ask;

import jakarta.servlet.FilterChain;
import jakarta.servlet.ServletException;
import jakarta.servlet.http.HttpServletRequest;
import jakarta.servlet.http.HttpServletResponse;
import java.io.IOException;
import java.util.function.Function;
import org.springframework.core.Ordered;
import org.springframework.core.annotation.Order;
import org.springframework.stereotype.Component;
import org.springframework.web.context.request.RequestContextHolder;
import org.springframework.web.context.request.ServletRequestAttributes;
import org.springframework.web.filter.OncePerRequestFilter;
import vintrel.core.query.plan.MemoryBudget;
import vintrel.core.store.MemoryClaim;
import vintrel.server.store.StoreHealth;
import vintrel.server.web.HeapParts;
import vintrel.server.web.Settings;

/**
 * The memory of questions. All queries of one request are one question: what they take, and what is
 * made of their answers, stays taken until the answer is sent, however slowly it is read. Outside
 * of a request a question ends with its use. Any thread.
 */
@Component
@Order(Ordered.HIGHEST_PRECEDENCE + 11)
public class QuestionMemory extends OncePerRequestFilter {
  private static final String SHARE = QuestionMemory.class.getName() + ".share";

  private final MemoryBudget budget;

  QuestionMemory(StoreHealth health, Settings settings) {
    long fixed = settings.query().memoryBytes();
    this.budget =
        fixed > 0
            ? new MemoryBudget(fixed)
            : new MemoryBudget(() -> HeapParts.queries(health.headBytes()));
  }

  MemoryBudget budget() {
    return budget;
  }

  /** Bytes that all questions take now. */
  public long taken() {
    return budget.taken();
  }

  @Override
  protected void doFilterInternal(
      HttpServletRequest request, HttpServletResponse response, FilterChain chain)
      throws ServletException, IOException {
    try {
      chain.doFilter(request, response);
    } finally {
      if (request.getAttribute(SHARE) instanceof MemoryBudget.Share share) {
        request.removeAttribute(SHARE);
        share.close();
      }
    }
  }

  /** Asks with the memory of the request that this thread serves, or else with some of its own. */
  <T> T asking(Function<MemoryBudget.Share, T> question) {
    var request = request();
    return request == null ? alone(question) : question.apply(share(request));
  }

  /** Asks with memory of its own, which ends with the use of the answer. */
  <T> T alone(Function<MemoryBudget.Share, T> question) {
    try (var share = budget.open()) {
      return question.apply(share);
    }
  }

  /** For what is made of an answer, such as a text; nothing outside of a request. */
  public MemoryClaim claim() {
    var request = request();
    return request == null ? MemoryClaim.NONE : share(request);
  }

  private MemoryBudget.Share share(HttpServletRequest request) {
    synchronized (request) {
      if (request.getAttribute(SHARE) instanceof MemoryBudget.Share known) {
        return known;
      }
      var share = budget.open();
      request.setAttribute(SHARE, share);
      return share;
    }
  }

  private static HttpServletRequest request() {
    return RequestContextHolder.getRequestAttributes() instanceof ServletRequestAttributes a
        ? a.getRequest()
        : null;
  }
}
