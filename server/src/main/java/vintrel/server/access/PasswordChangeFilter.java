package vintrel.server.access;

import jakarta.servlet.http.HttpServletRequest;
import jakarta.servlet.http.HttpServletResponse;
import java.io.IOException;
import org.springframework.context.annotation.Configuration;
import org.springframework.web.servlet.HandlerInterceptor;
import org.springframework.web.servlet.config.annotation.InterceptorRegistry;
import org.springframework.web.servlet.config.annotation.WebMvcConfigurer;

/**
 * Whoever signed in with a one-time password sees nothing before it is replaced; whoever was
 * disabled, or has another role now, signs in again.
 */
@Configuration
class PasswordChangeFilter implements WebMvcConfigurer, HandlerInterceptor {
  private final Users users;

  PasswordChangeFilter(Users users) {
    this.users = users;
  }

  @Override
  public void addInterceptors(InterceptorRegistry registry) {
    registry
        .addInterceptor(this)
        .excludePathPatterns(
            "/password",
            "/signin",
            "/signout",
            "/assets/**",
            "/health/**",
            "/api/**",
            "/v1/**",
            "/error");
  }

  @Override
  public boolean preHandle(HttpServletRequest request, HttpServletResponse response, Object handler)
      throws IOException {
    var who = request.getUserPrincipal();
    if (who != null && users.isOver(who)) {
      var session = request.getSession(false);
      if (session != null) {
        session.invalidate();
      }
      response.sendRedirect("/signin");
      return false;
    }
    if (who != null && users.mustChange(who.getName())) {
      response.sendRedirect("/password");
      return false;
    }
    return true;
  }
}
