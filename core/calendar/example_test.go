package calendar_test

import (
	"fmt"
	"time"

	"oskel/core/calendar"
)

func ExampleCalendar_Resolve() {
	c := calendar.Calendar{}
	p, err := c.Parse("2026-10")
	if err != nil {
		panic(err)
	}
	at := c.Resolve(p)
	fmt.Println(at.Words, at.First, at.Last, c.Words(at.Before))
	// Output:
	// Oct 2026 2026-10-01 2026-10-31 Sep 2026
}

func ExampleCalendar_AddWorking() {
	friday := calendar.Date(2026, time.October, 2)
	fmt.Println(calendar.Calendar{}.AddWorking(friday, 2).Words())
	// Output:
	// 6 Oct 2026
}
