package vintrel.server.access;

import jakarta.servlet.http.HttpServletRequest;
import java.security.Principal;
import org.springframework.stereotype.Controller;
import org.springframework.ui.Model;
import org.springframework.web.bind.annotation.GetMapping;
import org.springframework.web.bind.annotation.PostMapping;
import org.springframework.web.bind.annotation.RequestParam;
import vintrel.core.unit.Counts;
import vintrel.server.web.AccessLog;
import vintrel.server.web.SignInGuard;
import vintrel.server.web.SignedIn;

/** Signing in, and a person's own password. */
@Controller
class SignInController {
  private final Users users;
  private final SignedIn signedIn;
  private final SignInGuard guard;

  SignInController(Users users, SignedIn signedIn, SignInGuard guard) {
    this.signedIn = signedIn;
    this.guard = guard;
    this.users = users;
  }

  @GetMapping("/signin")
  String signIn(Model model, HttpServletRequest request) {
    var wait = String.valueOf(request.getParameter("wait"));
    model.addAttribute("refused", request.getParameter("error") != null);
    model.addAttribute("wait", wait.matches("\\d{1,4}") ? wait : "");
    var to = request.getParameter("to");
    model.addAttribute("to", to == null ? "" : to);
    return "access/signin";
  }

  @GetMapping("/password")
  String password(Model model, Principal who) {
    return page(model, who, "", "");
  }

  private String page(Model model, Principal who, String fault, String done) {
    model.addAttribute("fault", fault);
    model.addAttribute("done", done);
    model.addAttribute("must", who != null && users.mustChange(who.getName()));
    model.addAttribute("places", who == null ? 0 : signedIn.places(who.getName()));
    model.addAttribute("knownOld", users.cameWithOneTimePassword(who));
    model.addAttribute("least", PasswordRules.MIN);
    return "access/password";
  }

  /** A changed password ends all other sessions: whoever knew the old one is out. */
  @PostMapping("/password")
  String change(
      @RequestParam(required = false) String old,
      @RequestParam String wanted,
      Model model,
      Principal who,
      HttpServletRequest request) {
    long wait = guard.wait(who.getName(), request.getRemoteAddr());
    if (wait > 0) {
      return page(model, who, "too many tries; wait " + wait + " s", "");
    }
    try {
      boolean known = users.cameWithOneTimePassword(who);
      users.changePassword(who.getName(), known ? null : old == null ? "" : old, wanted);
      AccessLog.done(who.getName(), "changed the password");
      signedIn.endOthers(who.getName(), request);
      return "redirect:/";
    } catch (Users.WrongPassword e) {
      guard.failed(who.getName(), request.getRemoteAddr());
      AccessLog.refused(who.getName(), "changing the password");
      return page(model, who, e.getMessage(), "");
    } catch (IllegalArgumentException e) {
      return page(model, who, e.getMessage(), "");
    }
  }

  @PostMapping("/password/others")
  String endOthers(Model model, Principal who, HttpServletRequest request) {
    int ended = signedIn.endOthers(who.getName(), request);
    AccessLog.done(who.getName(), "ended " + ended + " other sessions");
    return page(model, who, "", Counts.of(ended, "session") + " ended.");
  }
}
